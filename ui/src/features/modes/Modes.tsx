/** Stage Modes: who moves, on which streets, how fast. Every rule is in view and changed where it stands; the map follows. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { copyMode, putMode, removeMode, takeInMode, undoMode, type ModeChange, type ModeDocument } from "../../api/modes";
import type { ModeInfo, Overview } from "../../api/studies";
import { capital, figure, words } from "../../common/format";
import { Outcome } from "../../controls/Outcome";
import { Committed } from "../../controls/inline";
import { ModeActs, ModeSentence } from "./ModeHead";
import { MapShows } from "./MapShows";
import { ModeCosts } from "./ModeCosts";
import { ModeDelays } from "./ModeDelays";
import { ModeRides } from "./ModeRides";
import { ModeHours } from "./ModeHours";
import { ModeRules } from "./ModeRules";
import { Plausible } from "./Plausible";
import { isChangedMeanwhile, message } from "../../api/client";
import { useScreen } from "../../state/screen";

export function Modes({ overview }: { overview: Overview }) {
  const queries = useQueryClient();
  const { mode, at, selectMode } = useScreen("mode", "at", "selectMode");
  const [said, setSaid] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [pending, setPending] = useState<ModeDocument | null>(null);
  const queue = useRef(Promise.resolve());
  /** When each mode was changed last by this page. */
  const saved = useRef<Record<string, string>>({});
  const kept = overview.modes.find(({ id }) => id === mode) ?? overview.modes[0];
  const shown = kept && pending?.id === kept.id ? { ...kept, document: pending } : kept;
  if (!shown) {
    return (
      <>
        <h1><Trans>Who moves, by which rules?</Trans></h1>
        <p className="notice"><Trans>Modes read the streets. Bring in an extract first.</Trans></p>
      </>
    );
  }

  /** Do something to a mode, say what came of it, and fetch what depends on it. */
  const act = async (what: () => Promise<string | null>) => {
    setSaid(null);
    setProblem(null);
    try {
      setSaid(await what());
      await queries.invalidateQueries({ predicate: ({ queryKey }) => ["overview", "answer", "processes"].includes(String(queryKey[0])) });
    } catch (error) {
      setProblem(message(error));
      if (isChangedMeanwhile(error)) await queries.invalidateQueries({ queryKey: ["overview"] });
    }
  };
  // A change made while another is on its way builds upon it, and goes out after it.
  const put = (more: Partial<ModeDocument>) => {
    const next = { ...shown.document, ...more };
    setPending(next);
    queue.current = queue.current
      .then(() =>
        act(async () => {
          // The newer of what this page saved last and of what the server told it.
          const over = [saved.current[next.id] ?? "", shown.changed].sort()[1] ?? "";
          const { change, changed } = await putMode(overview.id, next, over);
          saved.current[next.id] = changed;
          return changeWords(change);
        }),
      )
      .then(() => setPending((newest) => (newest === next ? null : newest)));
  };
  const goTo = async (made: Promise<{ id: string }>, words: string) => {
    const { id } = await made;
    selectMode(id);
    return words;
  };
  return (
    <>
      <h1><Trans>Who moves, by which rules?</Trans></h1>
      <div className="tabs" role="tablist" aria-label={t`Mode`}>
        {overview.modes.map(({ id, title }) => (
          <button
            key={id}
            role="tab"
            aria-selected={id === shown.id}
            onClick={() => {
              setSaid(null);
              setProblem(null);
              selectMode(id);
            }}
          >
            {title}
          </button>
        ))}
      </div>
      <ModeSentence info={shown} fields={overview.costs} put={put} />
      {shown.problem ? <p className="problem">{shown.problem}</p> : <Figures mode={shown} />}
      {!shown.problem && <Plausible info={shown} show={(place) => window.awlMap?.map.flyTo({ center: place, zoom: 16 })} />}
      <MapShows key={at ?? ""} overview={overview} mode={shown.id} />
      <Outcome said={said} problem={problem} />
      <ClassTable key={shown.id} mode={shown} put={put} />
      <ModeRules mode={shown.document} km={shown.rule_km ?? []} put={(rules) => put({ rules })} />
      <ModeRides overview={overview} mode={shown.document} put={put} />
      <ModeDelays info={shown} put={put} />
      <ModeHours mode={shown.document} put={(curves) => put({ curves })} />
      <ModeCosts mode={shown.document} put={(costs) => put({ costs })} />
      <h2><Trans>Barriers it cannot pass</Trans></h2>
      <p className="prose">
        {shown.document.barriers.length ? capital(shown.document.barriers.map(words).join(", ")) : t`None`}.{" "}
        {(shown.barriers_shut ?? 0) > 0 &&
          plural(shown.barriers_shut ?? 0, {
            one: "# street is shut by one here. A tag at the barrier that names the traveller goes before its kind.",
            other: "# streets are shut by one here. A tag at the barrier that names the traveller goes before its kind.",
          })}
      </p>
      {shown.notes.map((note) => (
        <p className="notice" key={note}>
          {note}
        </p>
      ))}
      <ModeActs
        study={overview.id}
        info={shown}
        undo={overview.modeUndo}
        onCopy={(title) => void act(() => goTo(copyMode(overview.id, shown.id, title), t`${title} is a mode of its own now.`))}
        onTakeIn={(file) => void act(async () => goTo(takeInMode(overview.id, JSON.parse(await file.text())), t`${file.name} is taken in.`))}
        onRemove={() => void act(async () => goTo(removeMode(overview.id, shown.id).then(({ id }) => ({ id: shown.shipped ? id : "walk" })), shown.shipped ? t`As it was shipped.` : t`${shown.title} is removed.`))}
        onUndo={() => void act(() => goTo(undoMode(overview.id), t`Taken back.`))}
      />
    </>
  );
}

function Figures({ mode }: { mode: ModeInfo }) {
  return (
    <div className="figures">
      <div className="figure">
        <b>
          {figure(mode.usable_km)}
          <small><Trans>km</Trans></small>
        </b>
        <span><Trans>of {figure(mode.total_km)} km may be used</Trans></span>
      </div>
      <div className="figure">
        <b>
          {figure(mode.mean_kmh, 1)}
          <small><Trans>km/h</Trans></small>
        </b>
        <span><Trans>mean speed by length, in free flow</Trans></span>
      </div>
      <div className="figure">
        <b>{figure(mode.links_usable)}</b>
        <span><Trans>links</Trans></span>
      </div>
    </div>
  );
}

/** Classes of street with their speeds; a class without a speed is not used. */
function ClassTable({ mode, put }: { mode: ModeInfo; put: (more: Partial<ModeDocument>) => void }) {
  const speeds = mode.document.speeds;
  const take = (name: string, text: string) => {
    const next = { ...speeds };
    if (text.trim() === "") delete next[name];
    else next[name] = Number(text);
    put({ speeds: next });
  };
  const rows = mode.rules ?? [];
  return (
    <>
      <h2><Trans>By class of street</Trans></h2>
      <table className="plain">
        <thead>
          <tr>
            <th><Trans>Street</Trans></th>
            <th className="n"><Trans>Length, km</Trans></th>
            <th className="n"><Trans>Usable, km</Trans></th>
            <th className="n"><Trans>One-way, km</Trans></th>
            <th className="n"><Trans>Speed, km/h</Trans></th>
          </tr>
        </thead>
        <tbody>
          {rows.map((rule) => (
            <tr key={rule.highway} className={rule.usable_km === 0 ? "quiet" : undefined}>
              <td>{words(rule.highway)}</td>
              <td className="n">{figure(rule.length_km, 1)}</td>
              <td className="n">{rule.usable_km === 0 ? t`not used` : figure(rule.usable_km, 1)}</td>
              <td className="n">{rule.oneway_km === 0 ? "" : figure(rule.oneway_km, 1)}</td>
              <td className="n">
                <Committed kind="amount" label={t`Speed on ${words(rule.highway)} in km/h`} value={speeds[rule.highway] === undefined ? "" : String(speeds[rule.highway])} placeholder={rule.usable_km > 0 ? t`by tag` : "–"} onCommit={(text) => take(rule.highway, text)} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="notice">
        <Trans>
          {mode.parts && mode.parts.left_out_links > 0 && t`${figure(mode.parts.left_out_km, 1)} km in cut-off parts are left out.`} A class without a speed is used only where an access tag says so. Click a street on the map to see why it is used or not.
        </Trans>
      </p>
    </>
  );
}

/** What a change did to the streets. */
export function changeWords(change: ModeChange | null): string | null {
  if (!change) return null;
  const amount = ({ links, km }: { links: number; km: number }) => {
    const length = figure(km, 1);
    return plural(links, { one: `${length} km in # link`, other: `${length} km in # links` });
  };
  const said = [];
  if (change.lost.links) said.push(t`${amount(change.lost)} can no longer be used`);
  if (change.won.links) said.push(t`${amount(change.won)} can be used now`);
  if (change.speed.links) said.push(t`${amount(change.speed)} have another speed`);
  if (change.delays) said.push(t`time lost changes at ${figure(change.delays)} nodes`);
  return said.length ? `${said.join("; ")}.` : t`No street changes by that.`;
}
