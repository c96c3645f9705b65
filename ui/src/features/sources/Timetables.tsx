/** The timetables of a study, each with what came in. */
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { dropLayer } from "../../api/layers";
import type { Overview } from "../../api/studies";
import { figure } from "../../common/format";
import { FeedFaults } from "./FeedFaults";
import { dayWords, FeedView } from "./FeedView";
import { Headways } from "./Headways";
import { StopsJoined } from "./StopsJoined";

export function Timetables({ overview }: { overview: Overview }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState<string | null>(null);
  const again = () => queries.invalidateQueries({ queryKey: ["overview", overview.id] });
  return (
    <>
      <table className="plain">
        <thead>
          <tr>
            <th><Trans>Timetable</Trans></th>
            <th className="n"><Trans>Trips</Trans></th>
            <th><Trans>Holds until</Trans></th>
            <th />
          </tr>
        </thead>
        <tbody>
          {overview.timetables.map(({ id, title, summary }) => (
            <tr key={id}>
              <td>
                <button className="linkish" aria-expanded={open === id} onClick={() => setOpen(open === id ? null : id)}>
                  {title}
                </button>
                <small className="under">{summary.kinds.map(({ kind, routes }) => `${figure(routes)} ${kind}`).join(", ")}</small>
              </td>
              <td className="n">{figure(summary.trips)}</td>
              <td>{dayWords(summary.last_day)}</td>
              <td>
                <button className="linkish" onClick={() => void dropLayer(overview.id, id).then(again)}>
                  <Trans>Remove</Trans>
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {overview.timetables.filter(({ id }) => id === open).map((timetable) => (
        <div key={timetable.id}>
          <FeedView summary={timetable.summary} />
          <Headways study={overview.id} timetable={timetable} />
          <StopsJoined overview={overview} />
          <FeedFaults summary={timetable.summary} onMap />
        </div>
      ))}
    </>
  );
}
