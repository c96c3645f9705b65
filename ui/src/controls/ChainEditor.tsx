/** The editor of layers in a chain: what touches the strip, then what stands on that, in order. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import type { LayerSet } from "../api/inputs";
import type { LayerInfo, Overview } from "../api/studies";
import { Word } from "./inline";
import { FilterField } from "./PlaceEditor";
import { moved } from "../state/blocks";

const MOST = 6;

export function ChainEditor({ overview, value, put }: { overview: Overview; value: LayerSet[]; put: (v: LayerSet[]) => void }) {
  const layers = overview.layers.filter(({ role }) => role !== "answer" && role !== "streets" && role !== "graph");
  const titled = ({ id, title, count }: LayerInfo): [string, string] => [id, `${count} ${title.toLowerCase()}`];
  const change = (row: number, one: LayerSet) => put(value.map((old, i) => (i === row ? one : old)));
  return (
    <>
      <ol>
        {value.map((one, i) => (
          <li key={i}>
            {i === 0 ? t`on the strip` : t`on those`}{" "}
            <Word kind="place" label={t`Layer ${i + 1}`} value={one.layer} options={layers.map(titled)} onChange={(layer) => change(i, { layer })} />{" "}
            {i > 0 && (
              <button className="linkish" onClick={() => put(moved(value, i, -1))} aria-label={t`Move layer ${i + 1} up`}>
                <Trans>up</Trans>
              </button>
            )}{" "}
            {value.length > 1 && (
              <button className="linkish" onClick={() => put(value.filter((_, j) => j !== i))} aria-label={t`Remove layer ${i + 1}`}>
                <Trans>remove</Trans>
              </button>
            )}
            <FilterField key={one.layer} layer={one} fields={Object.keys(layers.find(({ id }) => id === one.layer)?.fields ?? {})} put={(next) => change(i, next as LayerSet)} />
          </li>
        ))}
      </ol>
      <Button size="small" disabled={value.length >= MOST || layers.length === 0} onClick={() => layers[0] && put([...value, { layer: layers[0].id }])}>
        <Trans>Add a layer that stands on those</Trans>
      </Button>
    </>
  );
}
