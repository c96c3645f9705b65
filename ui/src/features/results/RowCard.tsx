/** One selected row of an answer: its people by group, the places they have, and what is missing. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { components } from "../../api/schema";
import type { Results } from "../../api/client";
import { figure } from "../../common/format";
import { curvesOf, Spark } from "./curves";
import type { Row } from "./grid";

type Card = components["schemas"]["RowCard"];
type Near = Record<string, unknown> & { place: string; share: number; minutes: number };

export function RowCard({ result, card, row, close }: { result: Results; card: Card; row: Row; close: () => void }) {
  const name = String(row[card.key]);
  const total = Number(row[card.total]);
  const beyond = total - Number(row[card.within]);
  const near = ((result[card.list_part] ?? []) as Near[]).filter((one) => String(one[card.key]) === name);
  const { curves, key } = (result.view.tables ?? []).find(({ part }) => part === card.part) ?? {};
  return (
    <div className="zone-card">
      <h3>
        <b>{name}</b> <Spark values={curvesOf(result, curves, key).get(name) ?? []} />
        <button className="linkish" onClick={close}>
          <Trans>Back to the chart</Trans>
        </button>
      </h3>
      <p>{beyond >= 0.5 ? t`No place within ${card.limit} for ${figure(beyond)} of ${figure(total)}, ${card.total.replaceAll("_", " ")}.` : t`Everybody has a place within ${card.limit}.`}</p>
      <table>
        <thead>
          <tr>
            <th scope="col"><Trans>People</Trans></th>
            {card.columns.map((head) => (
              <th scope="col" key={head}>
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {card.rows.map(({ label, fields }) => (
            <tr key={label}>
              <th scope="row">{label}</th>
              {fields.map((field) => (
                <td key={field}>{figure(Number(row[field]))}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <ul>
        {near.map(({ place, share, minutes }) => (
          <li key={place}>
            <Trans><b>{place}</b>, {figure(minutes, 1)} min, for {share < 1 ? t`fewer than 1` : figure(share)}% of the people</Trans>
          </li>
        ))}
        {near.length === 0 && <li><Trans>No place within {card.limit}.</Trans></li>}
      </ul>
    </div>
  );
}
