/** How the stops of the timetables, or of one that waits, are joined to the streets; those that are too far are listed and shown. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { message } from "../../api/client";
import type { ModeDocument } from "../../api/modes";
import { joinedStops, stopsOfUpload, type Overview } from "../../api/studies";
import { figure } from "../../common/format";
import { Word } from "../../controls/inline";
import { useScreen } from "../../state/screen";
import { uploadKey, useWaits } from "./waiting";

const LISTED = 20;

/** Whether a mode goes on foot, or on wheels as walkers go. */
const onFoot = ({ obeys_oneway, turns }: ModeDocument) => !obeys_oneway && turns.length === 0;

export function StopsJoined({ overview, upload }: { overview: Overview; upload?: string }) {
  const usable = overview.modes.filter(({ problem }) => !problem);
  const known = [...usable.filter(({ document }) => document.transit), ...usable.filter(({ document }) => !document.transit && onFoot(document))];
  const [mode, setMode] = useState(known[0]?.id ?? "");
  const { showFinding } = useScreen("showFinding");
  const added = upload ?? overview.timetables.map((one) => one.added).join();
  const changed = known.find(({ id }) => id === mode)?.changed;
  const waits = useWaits();
  const { data, error } = useQuery({
    queryKey: [...(upload === undefined ? ["joined-stops"] : uploadKey(upload, "stops")), overview.id, overview.revision, mode, changed, added],
    queryFn: ({ signal }) => (upload === undefined ? joinedStops(overview.id, mode) : stopsOfUpload(upload, overview.id, mode, signal)),
    enabled: !!mode && !!overview.revision && (upload === undefined || waits),
    staleTime: Infinity,
    meta: { panel: "own" },
  });
  if (error) return <p className="problem" role="alert">{message(error)}</p>;
  if (!data) return null;
  const far = data.too_far.features;
  const word = <Word kind="mode" label={t`Mode that stops are joined for`} value={mode} options={known.map(({ id, title }) => [id, title])} onChange={setMode} />;
  return (
    <div className="stops-joined">
      <p className="notice">
        {upload === undefined ? (
          <Trans>
            {figure(data.joined)} of {figure(data.stops)} stops are joined to the streets of {word}.
          </Trans>
        ) : (
          <Trans>
            {figure(data.joined)} of {figure(data.stops)} stops can be joined to the streets of {word}.
          </Trans>
        )}{" "}
        {data.median_m !== null && t`In the median they lie ${figure(data.median_m)} m off, ${figure(data.most_m)} m at most.`}{" "}
        {far.length > 0 && plural(far.length, { one: "# is too far from any street to be used:", other: "# are too far from any street to be used:" })}
      </p>
      {far.length > 0 && (
        <ol className="listed" aria-label={t`Stops too far from a street`}>
          {far.slice(0, LISTED).map((stop) => (
            <li key={String(stop.properties?.stop_id)}>
              {upload === undefined ? <button className="linkish" onClick={() => showFinding(stop)}>{String(stop.properties?.name)}</button> : String(stop.properties?.name)}
              {stop.properties?.street_m != null && <small className="under">{t`${figure(Number(stop.properties.street_m))} m from a street`}</small>}
            </li>
          ))}
        </ol>
      )}
      {far.length > LISTED && <p className="faint">{t`The first ${figure(LISTED)} of ${figure(far.length)}.`}</p>}
    </div>
  );
}
