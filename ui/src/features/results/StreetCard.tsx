/** What a street is, whether the mode may use it and why, and how long it takes each way. */
import type { ReactNode } from "react";
import type { Street } from "../../api/studies";
import { duration, figure, words } from "../../common/format";

export function StreetCard({ street, onClose, children }: { street: Street; onClose: () => void; children?: ReactNode }) {
  const way = (seconds: number | null) => (seconds === null ? "not allowed" : duration(seconds));
  return (
    <>
      <div className="results-head">
        <h2>
          {street.name ?? `Unnamed ${words(street.highway)}`}, link {street.link_id}
        </h2>
        <div className="side">
          <span>
            {figure(street.length_m)} m, {words(street.highway)}
          </span>
          <button className="linkish" onClick={onClose}>
            Close
          </button>
        </div>
      </div>
      <div className="card">
        <dl>
          {children}
          <Term name="Usable">
            {street.usable ? "yes" : `no: ${street.reason}`}
            {street.rule && ` (rule ${street.rule.number}: ${street.rule.where})`}
          </Term>
          {street.barriers.length > 0 && <Term name="At its ends">{street.barriers.map(words).join(", ")}</Term>}
          <Term name="Speed">{street.usable ? `${figure(street.speed_kmh, 1)} km/h, from the ${street.speed_source}` : "none"}</Term>
          <Term name="As drawn">
            {way(street.forward_s)} <span className="faint">from node {street.from_node_id} to {street.to_node_id}</span>
          </Term>
          <Term name="Against it">
            {way(street.backward_s)} <span className="faint">from node {street.to_node_id} to {street.from_node_id}</span>
          </Term>
          <Term name={street.osm_way_ids.length > 1 ? "Source ways" : "Source way"}>{street.osm_way_ids.join(", ")}</Term>
          {Object.entries(street.costs).map(([name, [ahead, back]]) => (
            <Term key={name} name={words(name)}>
              {ahead ?? "barred"} as drawn, {back ?? "barred"} against it
            </Term>
          ))}
        </dl>
        <div>
          <ol className="chain" aria-label="How the mode decides">
            {street.chain.map((sentence) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </ol>
        </div>
        <dl>
          {Object.entries(street.tags)
            .filter(([key]) => key !== "name")
            .map(([key, value]) => (
              <Term key={key} name={key}>
                {value}
              </Term>
            ))}
        </dl>
      </div>
    </>
  );
}

export function Term({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt>{name}</dt>
      <dd>{children}</dd>
    </>
  );
}
