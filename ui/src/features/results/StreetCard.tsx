/** What a street is, whether the mode may use it and why, and how long it takes each way. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { ReactNode } from "react";
import type { Street } from "../../api/studies";
import { duration, figure, words } from "../../common/format";

export function StreetCard({ street, onClose, children }: { street: Street; onClose: () => void; children?: ReactNode }) {
  const way = (seconds: number | null) => (seconds === null ? t`not allowed` : duration(seconds));
  return (
    <>
      <div className="results-head">
        <h2>
          <Trans>{street.name ?? t`Unnamed ${words(street.highway)}`}, link {street.link_id}</Trans>
        </h2>
        <div className="side">
          <span>
            <Trans>{figure(street.length_m)} m, {words(street.highway)}</Trans>
          </span>
          <button className="linkish" onClick={onClose}>
            <Trans>Close</Trans>
          </button>
        </div>
      </div>
      <div className="card">
        <dl>
          {children}
          <Term name={t`Usable`}>
            {street.usable ? t`yes` : t`no: ${street.reason}`} {street.rule && t`(rule ${street.rule.number}: ${street.rule.where})`}
          </Term>
          {street.barriers.length > 0 && <Term name={t`At its ends`}>{street.barriers.map(words).join(", ")}</Term>}
          <Term name={t`Speed`}>{street.usable ? t`${figure(street.speed_kmh, 1)} km/h, from the ${street.speed_source}` : t`none`}</Term>
          <Term name={t`As drawn`}>
            {way(street.forward_s)} <span className="faint"><Trans>from node {street.from_node_id} to {street.to_node_id}</Trans></span>
          </Term>
          <Term name={t`Against it`}>
            {way(street.backward_s)} <span className="faint"><Trans>from node {street.to_node_id} to {street.from_node_id}</Trans></span>
          </Term>
          <Term name={street.osm_way_ids.length > 1 ? t`Source ways` : t`Source way`}>{street.osm_way_ids.join(", ")}</Term>
          {Object.entries(street.costs).map(([name, [ahead, back]]) => (
            <Term key={name} name={words(name)}>
              <Trans>{ahead ?? t`barred`} as drawn, {back ?? t`barred`} against it</Trans>
            </Term>
          ))}
        </dl>
        <div>
          <ol className="chain" aria-label={t`How the mode decides`}>
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
