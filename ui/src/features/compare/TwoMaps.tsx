/** Two answers on two maps that move as one: beside each other, or one over the other with a line between that is dragged. */
import { t } from "@lingui/core/macro";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { streetArrays, type Overview } from "../../api/studies";
import type { MapContent } from "../../map/content";
import { extentOf } from "../../map/extent";
import { MapCanvas, type Ground, type Standing } from "../../map/MapCanvas";
import type { Answer } from "../../state/sheet";
import { useScreen } from "../../state/screen";
import { useStreets } from "../map/liveStreets";
import { linkMaps } from "./linked";

type Side = { label: string; answer: Answer; content: MapContent };
type Props = { overview: Overview; sides: readonly [Side, Side]; over: boolean; onScale: (metresPerPixel: number) => void };

export default function TwoMaps({ overview, sides, over, onScale }: Props) {
  const [first, setFirst] = useState<Standing | null>(null);
  const [second, setSecond] = useState<Standing | null>(null);
  const [share, setShare] = useState(0.5);
  const frame = useRef<HTMLDivElement>(null);
  const scenes = [first?.scene ?? null, second?.scene ?? null] as const;
  const [one, other] = scenes;
  useEffect(() => (one && other ? linkMaps(one, other) : undefined), [one, other]);
  const box = useMemo(() => extentOf(sides[0].answer.result), [sides]);
  const stands = one !== null && other !== null;
  useEffect(() => {
    if (stands && box) one.goTo(box);
    // The maps go to the answers once; where they are taken later they stay.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [stands]);
  const drag = (event: PointerEvent) => {
    const area = frame.current?.getBoundingClientRect();
    if (area && event.buttons === 1) setShare(Math.min(Math.max((event.clientX - area.left) / area.width, 0.02), 0.98));
  };
  const press = (event: KeyboardEvent) => {
    const step = { ArrowLeft: -0.02, ArrowRight: 0.02, Home: -1, End: 1 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    setShare((now) => Math.min(Math.max(now + step, 0.02), 0.98));
  };
  const percent = Math.round(share * 100);
  return (
    <div className={over ? "two-maps over" : "two-maps"} ref={frame}>
      <div className="side">
        <SideMap overview={overview} side={sides[0]} standing={first} onScale={onScale} onStanding={setFirst} />
      </div>
      <div className="side" style={over ? { clipPath: `inset(0 0 0 ${share * 100}%)` } : undefined}>
        <SideMap overview={overview} side={sides[1]} standing={second} onScale={nothing} onStanding={setSecond} />
      </div>
      {over && (
        <div
          className="divide"
          role="slider"
          tabIndex={0}
          aria-label={t`Line between the two answers`}
          aria-valuemin={0}
          aria-valuemax={100}
          aria-valuenow={percent}
          aria-valuetext={t`${percent}% of ${sides[0].label}`}
          style={{ left: `${share * 100}%` }}
          onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
          onPointerMove={drag}
          onKeyDown={press}
        />
      )}
    </div>
  );
}

const nothing = () => undefined;

type SideProps = { overview: Overview; side: Side; standing: Standing | null; onScale: (metresPerPixel: number) => void; onStanding: (standing: Standing | null) => void };

/** The map of one answer, on the streets with its own what-ifs. */
function SideMap({ overview, side: { label, answer, content }, standing, onScale, onStanding }: SideProps) {
  const { id: study, revision, bounds, drawn, layers, whatIfs, modes } = overview;
  const { theme, hidden, opacity } = useScreen("theme", "hidden", "opacity");
  const ids = useMemo(() => ((answer.inputs.what_if ?? []) as string[]).filter((id) => whatIfs.some((one) => one.id === id)), [answer, whatIfs]);
  const version = ids.map((id) => id + (whatIfs.find((one) => one.id === id)?.version ?? "")).join();
  const { data: streets } = useQuery({
    queryKey: ["streets", study, revision, version],
    queryFn: () => streetArrays(study, ids),
    staleTime: Infinity,
    meta: { panel: "map", what: t`The streets` },
  });
  const ground = useMemo((): Ground | null => bounds && { study, revision, bounds, drawn, layers: layers.map(({ id }) => id) }, [study, revision, bounds, drawn, layers]);
  useStreets(standing, study, `${revision} ${version} ${modes.map(({ id, changed }) => id + changed).join()}`, content.streets, ids);
  const hiddenHere = useMemo(() => ({ ...hidden, "link-numbers": true }), [hidden]);
  const keep = useCallback((now: Standing | null) => onStanding(now), [onStanding]);
  if (!ground) return null;
  return (
    <>
      <MapCanvas ground={ground} theme={theme} streets={streets ?? null} content={content} opacity={opacity} hidden={hiddenHere} label={null} onScale={onScale} onStanding={keep} />
      <h3 className="side-name">{label}</h3>
    </>
  );
}
