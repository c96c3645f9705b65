/** Speeds over the day: curves drawn and dragged, moved with the keys, or written as numbers. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { CurveDocument, ModeDocument } from "../../api/modes";
import { words } from "../../common/format";
import { Committed, Word } from "../../controls/inline";

const [WIDTH, HEIGHT, LEFT, TOP, FOOT] = [372, 116, 40, 8, 18];
const MOST = 1.25;
const x = (hour: number) => LEFT + (hour / 24) * (WIDTH - LEFT - 6);
const y = (share: number) => TOP + (1 - share / MOST) * (HEIGHT - TOP - FOOT);

type Props = { mode: ModeDocument; put: (curves: CurveDocument[]) => void };

export function ModeHours({ mode, put }: Props) {
  const change = (i: number, more: Partial<CurveDocument>) => put(mode.curves.map((curve, j) => (i === j ? { ...curve, ...more } : curve)));
  return (
    <>
      <h2><Trans>Hour of the day</Trans></h2>
      {mode.curves.map((curve, i) => (
        <Curve key={`${i} ${curve.days} ${curve.share.join()}`} curve={curve} number={i + 1} change={(more) => change(i, more)} remove={() => put(mode.curves.filter((_, j) => j !== i))} />
      ))}
      {mode.curves.length === 0 && <p className="notice"><Trans>Speeds are the same at every hour.</Trans></p>}
      <p className="row-form">
        <button className="linkish" onClick={() => put([...mode.curves, { days: mode.curves.length ? "saturday" : "weekday", classes: [], share: Array<number>(24).fill(1) }])}>
          <Trans>Add a curve</Trans>
        </button>
      </p>
    </>
  );
}

function Curve({ curve, number, change, remove }: { curve: CurveDocument; number: number; change: (more: Partial<CurveDocument>) => void; remove: () => void }) {
  const [share, setShare] = useState(curve.share);
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<number | null>(null);
  const move = (hour: number, value: number) => setShare((now) => now.map((old, i) => (i === hour ? Math.round(Math.min(Math.max(value, 0.05), MOST) * 100) / 100 : old)));
  const drag = (event: PointerEvent) => {
    if (held === null || !svg.current) return;
    const box = svg.current.getBoundingClientRect();
    const at = ((event.clientY - box.top) / box.height) * HEIGHT;
    move(held, (1 - (at - TOP) / (HEIGHT - TOP - FOOT)) * MOST);
  };
  const commit = () => {
    setHeld(null);
    if (share.join() !== curve.share.join()) change({ share });
  };
  const keys = (event: KeyboardEvent, hour: number) => {
    const step = { ArrowUp: 0.05, ArrowDown: -0.05 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    move(hour, (share[hour] ?? 1) + step);
  };
  const points = [...share, share[0] ?? 1].map((value, hour) => `${x(hour)},${y(value)}`).join(" ");
  return (
    <div className="curve">
      <p className="sentence">
        <Trans>
          <Word
            kind="time"
            label={t`Days of curve ${number}`}
            value={curve.days}
            options={[
              ["weekday", t`On weekdays`],
              ["saturday", t`On Saturdays`],
              ["sunday", t`On Sundays`],
              ["every day", t`Every day`],
            ]}
            onChange={(days) => change({ days: days as CurveDocument["days"] })}
          />
          , the share of the free speed that is left on <Committed kind="way" label={t`Classes of curve ${number}`} value={curve.classes.map(words).join(", ")} placeholder={t`all streets`} onCommit={(text) => change({ classes: classesOf(text) })} />
        </Trans>
      </p>
      <svg ref={svg} viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="group" aria-label={t`Curve ${number}, share of the free speed by hour`} onPointerMove={drag} onPointerUp={commit} onPointerLeave={commit}>
        {[0.5, 1].map((value) => (
          <g key={value}>
            <line x1={LEFT} x2={WIDTH - 6} y1={y(value)} y2={y(value)} className="guide" />
            <text x={LEFT - 5} y={y(value) + 4} textAnchor="end">
              {value * 100}%
            </text>
          </g>
        ))}
        {[0, 6, 12, 18, 24].map((hour) => (
          <text key={hour} x={x(hour)} y={HEIGHT - 4} textAnchor={hour === 24 ? "end" : "middle"}>
            {hour}
          </text>
        ))}
        <polyline points={points} className="line" />
        {share.map((value, hour) => (
          <circle
            key={hour}
            cx={x(hour)}
            cy={y(value)}
            r={held === hour ? 5 : 3.6}
            role="slider"
            tabIndex={0}
            aria-label={t`${hour} o'clock`}
            aria-valuenow={Math.round(value * 100)}
            aria-valuemin={5}
            aria-valuemax={MOST * 100}
            aria-valuetext={t`${Math.round(value * 100)} percent`}
            onPointerDown={() => setHeld(hour)}
            onKeyDown={(event) => keys(event, hour)}
            onBlur={commit}
          >
            <title>{`${hour}:00, ${Math.round(value * 100)}%`}</title>
          </circle>
        ))}
      </svg>
      <p className="row-form small">
        <Trans>
          In numbers <Committed kind="amount" label={t`Percent by hour of curve ${number}`} value={share.map((value) => Math.round(value * 100)).join(" ")} onCommit={(text) => change({ share: sharesOf(text, curve.share) })} />
          <button className="linkish" onClick={remove}>
            Remove
          </button>
        </Trans>
      </p>
    </div>
  );
}

/** Classes written with spaces, as the server names them. */
export const classesOf = (text: string) =>
  text
    .split(",")
    .map((name) => name.trim().replaceAll(" ", "_"))
    .filter(Boolean);

/** Twenty-four percents; fewer numbers leave the later hours as they were. */
export function sharesOf(text: string, former: number[]): number[] {
  const given = text.split(/[\s,;]+/).filter(Boolean).map(Number);
  return former.map((old, hour) => (Number.isFinite(given[hour]) ? (given[hour] as number) / 100 : old));
}
