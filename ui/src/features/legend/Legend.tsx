/** The legend is the map's margin and its control: a button switches each row. The scale stands beneath. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Fragment, useState, type ReactNode } from "react";
import { figure } from "../../common/format";
import { Committed, Word } from "../../controls/inline";
import { CLASSINGS, COUNTED, ownLimits, type Classing } from "../../map/choropleth";
import type { Graded, LegendGroup, LegendRow } from "../../map/content";
import type { Looks, RowLook } from "../../api/studies";
import { useScreen, useScreenValue } from "../../state/screen";
import { RowLookEditor } from "./RowLook";

/** Looks of rows, and how to change one by its id. */
type Looking = { looks: Looks; put: (id: string, look: RowLook | null) => void } | null;
type Props = { groups: LegendGroup[]; metresPerPixel: number | null; looking?: Looking; above?: ReactNode; children?: ReactNode };

export function Legend({ groups, metresPerPixel, looking = null, above, children }: Props) {
  const [open, setOpen] = useState<string | null>(null);
  const goBack = useScreenValue((screen) => (screen.stage === "sheet" ? screen.goBack : null));
  return (
    <aside className="legend" aria-label={t`Legend`}>
      {goBack && (
        <button className="linkish go-back" onClick={goBack}>
          <Trans>Back to the earlier view</Trans>
        </button>
      )}
      {above}
      {groups.map((group) => (
        <section key={group.id ?? group.title}>
          <h2>{group.title}</h2>
          {group.grades && <GradeLook grades={group.grades} />}
          {group.rows.map((row) => (
            <Fragment key={row.id ?? row.key + row.label}>
              <Row row={row} open={row.id !== undefined && row.id === open} onLook={looking && row.id ? () => setOpen(open === row.id ? null : (row.id ?? null)) : null} />
              {looking && row.id && row.id === open && <RowLookEditor row={row} look={looking.looks[row.id]} put={(look) => looking.put(row.id ?? "", look)} />}
            </Fragment>
          ))}
          {group.note && <p>{group.note}</p>}
        </section>
      ))}
      {children}
      {metresPerPixel !== null && <Scale metresPerPixel={metresPerPixel} />}
    </aside>
  );
}

/** What features are coloured by, and how classes are made. */
function GradeLook({ grades }: { grades: Graded }) {
  const classings = grades.counts ? [COUNTED, ...CLASSINGS] : CLASSINGS;
  const { gradeLook, gradeBy } = useScreen("gradeLook", "gradeBy");
  const write = (text: string) => {
    const own = ownLimits(text);
    if (own) gradeBy({ ...gradeLook, own });
  };
  return (
    <>
      <p className="zone-look">
        <Trans>
          <Word kind="way" label={t`What ${grades.of} are coloured by`} value={grades.field} options={grades.figures} onChange={(field) => gradeBy({ ...gradeLook, field, classing: grades.classing, own: null })} />{" "}
          in{" "}
          <Word
            kind="way"
            label={t`Classes`}
            value={grades.classing}
            options={classings.map(([key, text]): [string, string] => [key, text.replace("zones", grades.of)])}
            onChange={(classing) => gradeBy({ ...gradeLook, field: grades.field, classing: classing as Classing, own: classing === "own" ? grades.limits : null })}
          />
        </Trans>
      </p>
      {grades.classing === "own" && (
        <p className="zone-look">
          <Trans>at <Committed label={t`Limits of the classes, ascending`} kind="amount" value={grades.limits.map((limit) => Number(limit.toPrecision(4))).join(", ")} onCommit={write} /></Trans>
        </p>
      )}
    </>
  );
}

function Row({ row, open, onLook }: { row: LegendRow; open: boolean; onLook: (() => void) | null }) {
  const { hidden, toggle } = useScreen("hidden", "toggle");
  const shown = !hidden[row.key];
  return (
    <div className="legend-line">
      <button className="legend-row" disabled={!row.key} onClick={() => toggle(row.key)} {...(row.key ? { "aria-pressed": shown } : {})}>
        <span className="dot" aria-hidden="true" />
        <Swatch {...row.swatch} />
        <span>
          {row.label} {row.count !== undefined && <small>{figure(row.count)}</small>}
        </span>
      </button>
      {onLook && (
        <button className="row-look" aria-label={t`Change the look of ${row.label}`} aria-expanded={open} onClick={onLook}>
          …
        </button>
      )}
    </div>
  );
}

function Swatch({ kind, fill, line, width }: LegendRow["swatch"]) {
  const stroke = line ?? "var(--ink)";
  return (
    <svg viewBox="0 0 22 14" aria-hidden="true">
      {kind === "area" && <rect x="0.75" y="0.75" width="20.5" height="12.5" fill={fill} stroke={stroke} strokeWidth="1.2" />}
      {kind === "line" && stroke !== "transparent" && <path d="M0 7H22" stroke={stroke} strokeWidth={width ?? 2.4} />}
      {kind === "line" && stroke === "transparent" && <text x="4" y="12" fontFamily="Source Serif 4 Variable" fontStyle="italic" fontSize="13" fill="var(--ink-2)"><Trans>Aa</Trans></text>}
      {kind === "number" && <text x="3" y="12" fontFamily="IBM Plex Sans" fontSize="12" fill="var(--ink-2)">12</text>}
      {kind === "dash" && <path d="M0 7H22" stroke={stroke} strokeWidth="2" strokeDasharray="5 3" />}
      {kind === "circle" && <circle cx="11" cy="7" r={fill ? 5 : 3.6} fill={fill ?? "var(--page)"} stroke={line ?? "var(--ink)"} strokeWidth={line ? 1.8 : 1.2} />}
      {kind === "hatch" && <line x1="0" x2="22" y1="7" y2="7" stroke={line} strokeWidth="9" strokeDasharray="1.6 2.4" />}
      {kind === "triangle" && <path d="M11 1 17 12H5Z" fill="var(--page)" stroke="var(--warn)" strokeWidth="1.4" />}
      {kind === "button" && (
        <>
          <circle cx="11" cy="7" r="6" fill="var(--page)" stroke="var(--ink)" strokeWidth="1.4" />
          <circle cx="9" cy="7" r="1.2" fill="var(--ink)" />
          <circle cx="13" cy="7" r="1.2" fill="var(--ink)" />
        </>
      )}
    </svg>
  );
}

/** A round length that takes about 110 pixels, and half of it, which is also the distance of the map's ticks. */
export function scaleLength(metresPerPixel: number): number {
  const most = metresPerPixel * 125;
  const power = 10 ** Math.floor(Math.log10(most));
  return ([5, 2, 1].find((step) => step * power <= most) ?? 1) * power;
}

function Scale({ metresPerPixel }: { metresPerPixel: number }) {
  const length = scaleLength(metresPerPixel);
  const width = length / metresPerPixel;
  const label = (metres: number) => (length >= 2000 ? figure(metres / 1000, metres % 1000 ? 1 : 0) : figure(metres));
  const unit = length >= 2000 ? "km" : "m";
  return (
    <div className="scale">
      <Trans>
        <svg aria-hidden="true">
          <path d={`M1 2v5M${1 + width / 2} 2v5M${1 + width} 2v5`} stroke="var(--ink)" />
          <path d={`M1 7H${1 + width}`} stroke="var(--ink)" />
          <path d={`M1 7H${1 + width / 2}`} stroke="var(--ink)" strokeWidth="3" />
          <text x="0" y="22">0</text>
          <text x={1 + width / 2} y="22" textAnchor="middle">{label(length / 2)}</text>
          <text x={1 + width} y="22" textAnchor="middle">{label(length)}</text>
          <text x={8 + width} y="8">{unit}</text>
        </svg>
        Ticks every {label(length / 2)} {unit}
        <output className="pointer" data-pointer aria-label={t`Latitude, longitude under the pointer`} />
      </Trans>
    </div>
  );
}

/** Ticks on the map's edge, one per half scale length. */
export function Ticks({ metresPerPixel }: { metresPerPixel: number }) {
  const step = scaleLength(metresPerPixel) / 2 / metresPerPixel;
  const marks = Array.from({ length: Math.ceil(2600 / step) }, (_, i) => (i + 1) * step);
  return (
    <svg className="ticks" aria-hidden="true">
      {marks.map((at, i) => (
        <g key={i}>
          <line x1={at} x2={at} y1="0" y2={i % 2 ? 9 : 5} />
          <line x1="0" x2={i % 2 ? 9 : 5} y1={at} y2={at} />
        </g>
      ))}
    </svg>
  );
}
