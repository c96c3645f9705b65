/** The editor of a second run that an answer is set against: what else holds in it. All else stays as in the first. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
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
  const modes: [string, string][] = [["", t`the same mode`], ...overview.modes.filter(({ id }) => id !== block.inputs.mode).map(({ id, traveller }): [string, string] => [id, t`a ${traveller}`])];
  const layers: [string, string][] = [["", t`the same places`], ...overview.layers.filter(({ role }) => role === "places").map(({ id, title }): [string, string] => [id, title.toLowerCase()])];
  const closed = against.closures?.features ?? [];
  const picks = picking?.path?.[0] === name;
  return (
    <>
      <p className="question">
        <Trans>
          The same question for <Word kind="mode" label={t`Mode of the other run`} value={against.mode ?? ""} options={modes} onChange={(mode) => change(mode ? { mode } : {}, "mode")} />,{" "}
          <Word
            kind="place"
            label={t`Places of the other run`}
            value={isLayerSet(against.places) ? against.places.layer : ""}
            options={layers}
            onChange={(layer) => change(layer ? { places: { layer } } : {}, "places")}
          />
          ,{" "}
          <Word
            kind="way"
            label={t`Direction of the other run`}
            value={against.direction ?? ""}
            options={[["", t`in the same direction`], ...Object.entries(slots.direction?.words ?? {})]}
            onChange={(direction) => change(direction ? { direction: direction as "from" | "to" } : {}, "direction")}
          />
          ,{" "}
          <Word
            kind="time"
            label={t`Hour of the other run`}
            value={against.at === undefined ? "" : against.at === null ? "free" : "hour"}
            options={[["", t`at the same hour`], ["free", t`in free flow`], ["hour", t`at another hour`]]}
            onChange={(hour) => change(hour === "" ? {} : { at: hour === "free" ? null : momentOf("weekday", 8) }, "at")}
          />
          {against.at && <input type="datetime-local" className="slot time text" aria-label={t`Date and time of the other run`} value={against.at} onChange={(event) => event.target.value && change({ at: event.target.value }, "at")} />}
          .
        </Trans>
      </p>
      {closed.length > 0 && (
        <ol>
          {closed.map((feature, i) => (
            <li key={i}>
              <Trans>
                {feature.properties.name ?? t`point ${i + 1}`} closed{" "}
                <button
                  className="linkish"
                  aria-label={t`Open ${feature.properties.name ?? t`point ${i + 1}`} again`}
                  onClick={() => {
                    const rest = closed.filter((_, j) => j !== i);
                    change(rest.length ? { closures: { type: "FeatureCollection", features: rest } } : {}, "closures");
                  }}
                >
                  remove
                </button>
              </Trans>
            </li>
          ))}
        </ol>
      )}
      <div className="row">
        <Button size="small" disabled={picks} onClick={() => pick({ question: block.id, slot: "closures", path: [name, "closures"] })}>
          {picks ? t`Click the map` : t`Close a street in it`}
        </Button>
        <Button size="small" onClick={() => put(undefined)}>
          <Trans>Remove comparison</Trans>
        </Button>
      </div>
    </>
  );
}
