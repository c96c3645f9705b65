/** The editor of layers in a chain: what touches the strip, then what stands on that, in order. */
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
            {i === 0 ? "on the strip " : "on those "}
            <Word kind="place" label={`Layer ${i + 1}`} value={one.layer} options={layers.map(titled)} onChange={(layer) => change(i, { layer })} />{" "}
            {i > 0 && (
              <button className="linkish" onClick={() => put(moved(value, i, -1))} aria-label={`Move layer ${i + 1} up`}>
                up
              </button>
            )}{" "}
            {value.length > 1 && (
              <button className="linkish" onClick={() => put(value.filter((_, j) => j !== i))} aria-label={`Remove layer ${i + 1}`}>
                remove
              </button>
            )}
            <FilterField key={one.layer} layer={one} fields={Object.keys(layers.find(({ id }) => id === one.layer)?.fields ?? {})} put={(next) => change(i, next as LayerSet)} />
          </li>
        ))}
      </ol>
      <Button size="small" disabled={value.length >= MOST || layers.length === 0} onClick={() => layers[0] && put([...value, { layer: layers[0].id }])}>
        Add a layer that stands on those
      </Button>
    </>
  );
}
