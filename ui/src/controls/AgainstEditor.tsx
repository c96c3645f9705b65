/** The editor of a second run that an answer is set against: what else holds in it. All else stays as in the first. */
import { Button } from "@mui/material";
import { isLayerSet, type Against, type Slot } from "../api/inputs";
import type { Overview } from "../api/studies";
import { momentOf } from "../common/moments";
import { Word } from "./inline";
import { useScreen } from "../state/screen";
import type { QuestionBlock } from "../state/sheet";

type Props = { block: QuestionBlock; name: string; overview: Overview; slots: Record<string, Slot>; value: Against | null; put: (v: Against | undefined) => void };

export function AgainstEditor({ block, name, overview, slots, value, put }: Props) {
  const { pick, picking } = useScreen("pick", "picking");
  const against = value ?? {};
  const change = (part: Against, drop: keyof Against) => {
    const rest = Object.fromEntries(Object.entries(against).filter(([key]) => key !== drop));
    put({ ...rest, ...part });
  };
  const modes: [string, string][] = [["", "the same mode"], ...overview.modes.filter(({ id }) => id !== block.inputs.mode).map(({ id, traveller }): [string, string] => [id, `a ${traveller}`])];
  const layers: [string, string][] = [["", "the same places"], ...overview.layers.filter(({ role }) => role === "places").map(({ id, title }): [string, string] => [id, title.toLowerCase()])];
  const closed = against.closures?.features ?? [];
  const picks = picking?.path?.[0] === name;
  return (
    <>
      <p className="question">
        The same question for <Word kind="mode" label="Mode of the other run" value={against.mode ?? ""} options={modes} onChange={(mode) => change(mode ? { mode } : {}, "mode")} />,{" "}
        <Word
          kind="place"
          label="Places of the other run"
          value={isLayerSet(against.places) ? against.places.layer : ""}
          options={layers}
          onChange={(layer) => change(layer ? { places: { layer } } : {}, "places")}
        />
        ,{" "}
        <Word
          kind="way"
          label="Direction of the other run"
          value={against.direction ?? ""}
          options={[["", "in the same direction"], ...Object.entries(slots.direction?.words ?? {})]}
          onChange={(direction) => change(direction ? { direction: direction as "from" | "to" } : {}, "direction")}
        />
        ,{" "}
        <Word
          kind="time"
          label="Hour of the other run"
          value={against.at === undefined ? "" : against.at === null ? "free" : "hour"}
          options={[["", "at the same hour"], ["free", "in free flow"], ["hour", "at another hour"]]}
          onChange={(hour) => change(hour === "" ? {} : { at: hour === "free" ? null : momentOf("weekday", 8) }, "at")}
        />
        {against.at && <input type="datetime-local" className="slot time text" aria-label="Date and time of the other run" value={against.at} onChange={(event) => event.target.value && change({ at: event.target.value }, "at")} />}
        .
      </p>
      {closed.length > 0 && (
        <ol>
          {closed.map((feature, i) => (
            <li key={i}>
              {feature.properties.name ?? `point ${i + 1}`} closed{" "}
              <button
                className="linkish"
                aria-label={`Open ${feature.properties.name ?? `point ${i + 1}`} again`}
                onClick={() => {
                  const rest = closed.filter((_, j) => j !== i);
                  change(rest.length ? { closures: { type: "FeatureCollection", features: rest } } : {}, "closures");
                }}
              >
                remove
              </button>
            </li>
          ))}
        </ol>
      )}
      <div className="row">
        <Button size="small" disabled={picks} onClick={() => pick({ question: block.id, slot: "closures", path: [name, "closures"] })}>
          {picks ? "Click the map" : "Close a street in it"}
        </Button>
        <Button size="small" onClick={() => put(undefined)}>
          Remove comparison
        </Button>
      </div>
    </>
  );
}
