/** Lines by public transport that a what-if adds: each a sentence, its stops clicked on the map. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useEffect } from "react";
import type { DrawnLine, WhatIf } from "../../api/edits";
import type { Overview } from "../../api/studies";
import { Committed, Word } from "../../controls/inline";
import { screenNow, useScreen } from "../../state/screen";
import { KINDS, kindWord } from "./kinds";

/* eslint-disable lingui/no-unlocalized-strings -- words of the interface to programs, and names of keys */
const KEYS = ["Enter", "Backspace", "Escape"];
const FRESH = { kind: "bus", every_min: 10, first: "06:00", last: "22:00", kmh: 20, both_ways: true, days: "daily" } satisfies Partial<DrawnLine>;
/* eslint-enable lingui/no-unlocalized-strings */

type Props = { overview: Overview; one: WhatIf; put: (part: Partial<WhatIf>) => void };

/** Nothing where no mode rides. */
export function LinesAdded({ overview, one, put }: Props) {
  const { sketch, scope, setScope, beginSketch, endSketch, takeCornerBack } = useScreen("sketch", "scope", "setScope", "beginSketch", "endSketch", "takeCornerBack");
  const drawing = sketch?.of === "line" && scope === one.id;

  useEffect(() => {
    if (!drawing) return;
    const press = (event: KeyboardEvent) => {
      const field = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (field || !KEYS.includes(event.key)) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      if (event.key === "Backspace") return takeCornerBack();
      const stops = (screenNow().sketch?.corners ?? []).map(({ at }) => at);
      endSketch();
      if (event.key === "Enter" && stops.length > 1) put({ lines: [...one.lines, { ...FRESH, name: t`new ${one.lines.length + 1}`, stops }] });
    };
    window.addEventListener("keydown", press, true);
    return () => window.removeEventListener("keydown", press, true);
  }, [drawing, one.lines, put, endSketch, takeCornerBack]);

  if (!overview.modes.some(({ document }) => document.transit)) return null;
  const set = (nth: number, part: Partial<DrawnLine>) => put({ lines: one.lines.map((line, i) => (i === nth ? { ...line, ...part } : line)) });
  const begin = () => {
    setScope(one.id);
    beginSketch("line");
  };
  return (
    <>
      {one.lines.map((line, nth) => (
        <Line key={nth} line={line} set={(part) => set(nth, part)} drop={() => put({ lines: one.lines.filter((_, i) => i !== nth) })} />
      ))}
      <div className="block-tools">
        {drawing ? (
          <>
            <span className="faint"><Trans>Click stop after stop; Enter ends the line, Backspace takes one back.</Trans></span>
            <Button size="small" onClick={endSketch}><Trans>Give up</Trans></Button>
          </>
        ) : (
          <Button size="small" disabled={sketch !== null} onClick={begin}><Trans>Draw a line of public transport</Trans></Button>
        )}
      </div>
    </>
  );
}

function Line({ line, set, drop }: { line: DrawnLine; set: (part: Partial<DrawnLine>) => void; drop: () => void }) {
  const number = (text: string, with_: (value: number) => Partial<DrawnLine>) => {
    const value = Number(text.replace(",", "."));
    if (text && Number.isFinite(value)) set(with_(value));
  };
  const count = line.stops.length;
  return (
    <p className="question">
      <Trans>
        A <Word kind="mode" label={t`Kind of the line`} value={line.kind} options={KINDS.map((kind) => [kind, kindWord(kind)])} onChange={(kind) => set({ kind })} />{" "}
        <Committed key={`n${line.name}`} label={t`Name of the line`} value={line.name} kind="way" onCommit={(name) => name && set({ name })} /> with {count} stops runs{" "}
        <Word kind="way" label={t`Directions of the line`} value={line.both_ways ? "both" : "one"} options={[["both", t`both ways`], ["one", t`as drawn alone`]]} onChange={(both) => set({ both_ways: both === "both" })} />{" "}
        <Word kind="time" label={t`Days of the line`} value={line.days} options={[["daily", t`every day`], ["weekdays", t`Monday to Friday`], ["weekend", t`at weekends`]]} onChange={(days) => set({ days: days as DrawnLine["days"] })} /> every{" "}
        <Committed key={`e${line.every_min}`} label={t`Minutes between departures`} value={String(line.every_min)} kind="amount" onCommit={(text) => number(text, (every_min) => ({ every_min }))} /> min from{" "}
        <Committed key={`f${line.first}`} label={t`First departure`} value={line.first} kind="time" onCommit={(first) => set({ first })} /> to{" "}
        <Committed key={`l${line.last}`} label={t`Last departure`} value={line.last} kind="time" onCommit={(last) => set({ last })} />, at{" "}
        <Committed key={`k${line.kmh}`} label={t`Speed from stop to stop`} value={String(line.kmh)} kind="amount" onCommit={(text) => number(text, (kmh) => ({ kmh }))} /> km/h from stop to stop.
      </Trans>{" "}
      <button className="linkish" onClick={drop}><Trans>Leave it out</Trans></button>
    </p>
  );
}
