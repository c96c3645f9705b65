/** What a what-if changes beside streets: how fast a mode is, lines, places that open and close, the hour of questions. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useState } from "react";
import type { PlacesChange, WhatIf } from "../../api/edits";
import { pointFeature } from "../../api/inputs";
import type { TransitRules } from "../../api/modes";
import type { LayerInfo, Overview } from "../../api/studies";
import { momentWords } from "../../common/moments";
import { Committed, Word } from "../../controls/inline";
import { MomentEditor } from "../../controls/MomentEditor";
import { useScreen } from "../../state/screen";
import { kindWord } from "./kinds";
import { LinesAdded } from "./LinesAdded";

type Props = { overview: Overview; one: WhatIf; put: (part: Partial<WhatIf>) => void };

const PLACES = ["places", "zones", "parcels", "buildings", "lines"];

export function SlipMembers({ overview, one, put }: Props) {
  return (
    <details className="members">
      <summary>{summary(one)}</summary>
      <TopSpeed overview={overview} one={one} put={put} />
      <LinesThatRun overview={overview} one={one} put={put} />
      <LinesAdded overview={overview} one={one} put={put} />
      <PlaceChanges overview={overview} one={one} put={put} />
      <p className="question">
        {one.at ? <Trans>Questions that say no hour are asked for {momentWords(one.at)}.</Trans> : <Trans>Questions that say no hour are asked in free flow.</Trans>}
      </p>
      <MomentEditor key={one.at} value={one.at || null} put={(at) => put({ at: at ?? "" })} />
    </details>
  );
}

/** What is changed beside streets, in a few words. */
function summary({ modes, places, lines, at }: WhatIf): string {
  const parts = [
    ...Object.entries(modes).map(([mode, { top_speed, transit }]) => (top_speed ? t`${mode} at most ${top_speed} km/h` : transit ? t`other lines or stops` : mode)),
    ...places.map(({ layer, close, open }) => [close && t`${layer}: some closed`, open && t`${layer}: ${open.features.length} opened`].filter(Boolean).join(", ")),
    ...lines.map(({ name, kind }) => t`new ${kindWord(kind)} ${name}`),
    ...(at ? [momentWords(at)] : []),
  ];
  return parts.length ? parts.join("; ") : t`Modes, places, lines and hour as they are`;
}

function TopSpeed({ overview, one, put }: Props) {
  const [first] = overview.modes;
  const [mode, setMode] = useState(Object.keys(one.modes)[0] ?? first?.id ?? "walk");
  const set = (text: string) => {
    const others = Object.fromEntries(Object.entries(one.modes).filter(([id]) => id !== mode));
    const speed = Number(text.replace(",", "."));
    put({ modes: text && Number.isFinite(speed) ? { ...others, [mode]: { ...one.modes[mode], top_speed: speed } } : others });
  };
  return (
    <p className="question">
      <Trans>
        With it <Word kind="mode" label={t`Mode that changes`} value={mode} options={overview.modes.map(({ id, title }) => [id, title])} onChange={setMode} /> goes at most{" "}
        <Committed key={mode} label={t`Top speed of the mode`} value={String(one.modes[mode]?.top_speed ?? "")} kind="amount" placeholder={t`as fast as ever`} onCommit={set} /> km/h.
      </Trans>
    </p>
  );
}

/** Which lines run and which stops are served, for the first mode by public transport; nothing without a timetable. */
function LinesThatRun({ overview, one, put }: Props) {
  const riding = overview.timetables.length ? overview.modes.find(({ document }) => document.transit) : undefined;
  const usual = riding?.document.transit;
  if (!riding || !usual) return null;
  const now = one.modes[riding.id]?.transit ?? usual;
  const set = (part: Partial<TransitRules>) => {
    const transit = { ...now, ...part };
    const { transit: former, ...others } = one.modes[riding.id] ?? {};
    void former;
    const changed = transit.routes !== usual.routes || transit.stops !== usual.stops;
    const members = changed ? { ...others, transit } : others;
    const rest = Object.fromEntries(Object.entries(one.modes).filter(([id]) => id !== riding.id));
    put({ modes: Object.keys(members).length ? { ...rest, [riding.id]: members } : rest });
  };
  return (
    <p className="question">
      <Trans>
        Lines run where{" "}
        <Committed key={now.routes} label={t`Condition of lines that run`} value={now.routes} kind="way" placeholder={t`all of them`} onCommit={(routes) => set({ routes })} />, stops are served where{" "}
        <Committed key={now.stops} label={t`Condition of stops that are served`} value={now.stops} kind="place" placeholder={t`all of them`} onCommit={(stops) => set({ stops })} />.
      </Trans>
    </p>
  );
}

function PlaceChanges({ overview, one, put }: Props) {
  const layers = overview.layers.filter(({ role }) => PLACES.includes(role)).sort((a, b) => PLACES.indexOf(a.role) - PLACES.indexOf(b.role));
  const [first] = layers;
  const [chosen, setChosen] = useState(one.places[0]?.layer ?? first?.id ?? "");
  const { placing, setPlacing } = useScreen("placing", "setPlacing");
  if (!first) return null;
  const change = one.places.find(({ layer }) => layer === chosen) ?? { layer: chosen };
  const set = (part: Partial<PlacesChange>) => {
    const next: PlacesChange = { ...change, ...part };
    if (!next.close) delete next.close;
    if (!next.open?.features.length) delete next.open;
    const others = one.places.filter(({ layer }) => layer !== chosen);
    put({ places: next.close || next.open ? [...others, next] : others });
  };
  const opened = change.open?.features ?? [];
  const title = (layer: LayerInfo): [string, string] => [layer.id, layer.title];
  return (
    <>
      <p className="question">
        <Trans>
          In <Word kind="place" label={t`Places that change`} value={chosen} options={layers.map(title)} onChange={setChosen} /> those are closed where{" "}
          <Committed key={chosen} label={t`Condition of what closes`} value={change.close ?? ""} kind="place" placeholder={t`no condition holds`} onCommit={(close) => set({ close })} />
          {opened.length > 0 && <>, {t`and ${opened.length} are opened`}</>}.
        </Trans>
      </p>
      <div className="block-tools">
        <Button
          size="small"
          disabled={placing !== null || layers.find(({ id }) => id === chosen)?.geometry !== "POINT"}
          onClick={() => setPlacing(([lng, lat]) => set({ open: { type: "FeatureCollection", features: [...opened, pointFeature(lng, lat, t`New place ${opened.length + 1}`)] } }))}
        >
          <Trans>Open one on the map</Trans>
        </Button>
        {opened.length > 0 && <Button size="small" onClick={() => set({ open: { type: "FeatureCollection", features: opened.slice(0, -1) } })}><Trans>Take the last one back</Trans></Button>}
      </div>
    </>
  );
}
