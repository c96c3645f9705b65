/** One zone of an access answer: its people by group, the places they have, and what is missing. */
import type { FeatureCollection } from "geojson";
import { figure } from "../common/format";
import type { Answer } from "../state/sheet";
import { curvesOf, Spark } from "./curves";

type Near = { zone: string; place: string; share: number; minutes: number };

export function ZoneCard({ answer, zone, close }: { answer: Answer; zone: string; close: () => void }) {
  const feature = (answer.result.zones as FeatureCollection).features.find(({ properties }) => properties?.zone === zone);
  const values = feature?.properties as Record<string, number | string | null> | undefined;
  if (!values) return null;
  const limits = answer.inputs.limits as number[];
  const last = limits[limits.length - 1] ?? 0;
  const groups = (answer.result.totals as { field: string }[]).map(({ field }) => field);
  const near = ((answer.result.near ?? []) as Near[]).filter((row) => row.zone === zone);
  const first = groups[0] ?? "";
  const beyond = Number(values[first]) - Number(values[`${first}_within_${last}`]);
  return (
    <div className="zone-card">
      <h3>
        <b>{zone}</b> <Spark values={curvesOf(answer).get(zone) ?? []} />
        <button className="linkish" onClick={close}>
          Back to the chart
        </button>
      </h3>
      <p>{beyond >= 0.5 ? `No place within ${last} min for ${figure(beyond)} of ${figure(Number(values[first]))}, ${first.replaceAll("_", " ")}.` : `Everybody has a place within ${last} min.`}</p>
      <table>
        <thead>
          <tr>
            <th scope="col">People</th>
            <th scope="col">all</th>
            {limits.map((limit) => (
              <th scope="col" key={limit}>{`${limit} min`}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {groups.map((group) => (
            <tr key={group}>
              <th scope="row">{group.replaceAll("_", " ")}</th>
              <td>{figure(Number(values[group]))}</td>
              {limits.map((limit) => (
                <td key={limit}>{figure(Number(values[`${group}_within_${limit}`]))}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <ul>
        {near.map(({ place, share, minutes }) => (
          <li key={place}>
            <b>{place}</b>, {figure(minutes, 1)} min, for {share < 1 ? "fewer than 1" : figure(share)}% of the people
          </li>
        ))}
        {near.length === 0 && <li>No place within {last} min.</li>}
      </ul>
    </div>
  );
}
