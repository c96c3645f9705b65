/** A ready street graph: taken in as it is, once it is known where its coordinates are. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { ReadyGraph } from "../../api/uploads";
import { figure } from "../../common/format";
import { Text, Word } from "../../controls/inline";
import { FormEnd, leave, useBuild, type FormProps } from "./form";

const LENGTH_UNITS: [string, string][] = [
  ["m", t`metres`],
  ["km", t`kilometres`],
  ["mi", t`miles`],
  ["ft", t`feet`],
];
const SPEED_UNITS: [string, string][] = [
  ["km/h", t`km/h`],
  ["mph", t`miles an hour`],
  ["m/s", t`metres a second`],
];

export function GraphForm({ upload, study, onDone, onClose }: FormProps) {
  const graph = upload.graph as ReadyGraph;
  const weights = graph.weights ?? [];
  const [sense, setSense] = useState(weights.length ? "drawing" : "system");
  const [weight, setWeight] = useState(weights[0] ?? "");
  const [lengthUnit, setLengthUnit] = useState("m");
  const [speedUnit, setSpeedUnit] = useState(graph.speed_unit ?? "km/h");
  const [crs, setCrs] = useState("");
  const { state, problem, build } = useBuild(upload, onDone);
  const placed = sense === "drawing" ? { weight, length_unit: lengthUnit } : { crs: crs.trim() };
  const meaning = (
    <Word
      kind="way"
      label={t`What the coordinates are`}
      value={sense}
      options={[...(weights.length ? [["drawing", t`a drawing without geography`] as [string, string]] : []), ["system", t`places in a coordinate system`]]}
      onChange={setSense}
    />
  );
  return (
    <section className="line-form" aria-label={t`Ready street graph`} data-testid="graph-form">
      <h1><Trans>A ready street graph</Trans></h1>
      <p className="dateline">{upload.name}</p>
      {graph.problem ? (
        <>
          <p className="prose"><Trans>The coordinates of its nodes are not degrees. Are they metres in a coordinate system, or only a drawing of a network with given weights?</Trans></p>
          <p className="question">
            {sense === "drawing" ? (
              <Trans>
                Take them as {meaning}, the length of each link from{" "}
                <Word kind="amount" label={t`Column with the lengths`} value={weight} options={weights.map((name) => [name, name])} onChange={setWeight} /> in{" "}
                <Word kind="amount" label={t`Unit of the lengths`} value={lengthUnit} options={LENGTH_UNITS} onChange={setLengthUnit} />.
              </Trans>
            ) : (
              <Trans>
                Take them as {meaning}: <Text label={t`Coordinate system`} value={crs} placeholder="EPSG:32625" onChange={setCrs} />.
              </Trans>
            )}
          </p>
        </>
      ) : (
        <p className="prose">
          <Trans>
            {figure(graph.nodes)} nodes and {figure(graph.links)} links,{" "}
            {graph.drawn ? t`without geography: laid out by their connections` : t`${figure(graph.length_km, 1)} km`}. Numbers, attributes, costs and turn restrictions are kept as
            they are; nothing is joined or broken.{" "}
            {graph.length_unit && (
              <Trans>
                Its lengths are in <Word kind="amount" label={t`Unit of the lengths`} value={lengthUnit} options={LENGTH_UNITS} onChange={setLengthUnit} />.
              </Trans>
            )}{" "}
            {graph.speed_unit && (
              <Trans>
                Its speeds are in <Word kind="amount" label={t`Unit of the speeds`} value={speedUnit} options={SPEED_UNITS} onChange={setSpeedUnit} />.
              </Trans>
            )}
            {" "}
            {Object.entries(graph.left_out ?? {}).map(([what, count]) => t`Left out, ${what}: ${figure(count)}.`).join(" ")}
          </Trans>
        </p>
      )}
      <FormEnd
        state={state}
        problem={problem}
        act={t`Build streets`}
        disabled={graph.problem !== undefined && sense === "system" && !crs.trim()}
        onAct={() => void build({ study, ...(graph.problem ? placed : { speed_unit: graph.speed_unit && speedUnit, length_unit: graph.length_unit && lengthUnit }) })}
        onLeave={() => leave(upload, onClose)}
      />
    </section>
  );
}
