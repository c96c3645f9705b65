/** A ready street graph: taken in as it is, once it is known where its coordinates are. */
import { useState } from "react";
import type { ReadyGraph } from "../../api/incoming";
import { figure } from "../../common/format";
import { Text, Word } from "../../controls/inline";
import { FormEnd, leave, useBuild, type FormProps } from "./form";

const LENGTH_UNITS: [string, string][] = [
  ["m", "metres"],
  ["km", "kilometres"],
  ["mi", "miles"],
  ["ft", "feet"],
];
const SPEED_UNITS: [string, string][] = [
  ["km/h", "km/h"],
  ["mph", "miles an hour"],
  ["m/s", "metres a second"],
];

export function GraphForm({ incoming, study, onDone, onClose }: FormProps) {
  const graph = incoming.graph as ReadyGraph;
  const weights = graph.weights ?? [];
  const [sense, setSense] = useState(weights.length ? "drawing" : "system");
  const [weight, setWeight] = useState(weights[0] ?? "");
  const [lengthUnit, setLengthUnit] = useState("m");
  const [speedUnit, setSpeedUnit] = useState(graph.speed_unit ?? "km/h");
  const [crs, setCrs] = useState("");
  const { state, problem, build } = useBuild(incoming, onDone);
  const placed = sense === "drawing" ? { weight, length_unit: lengthUnit } : { crs: crs.trim() };
  return (
    <section className="line-form" aria-label="Ready street graph" data-testid="graph-form">
      <h1>A ready street graph</h1>
      <p className="dateline">{incoming.name}</p>
      {graph.problem ? (
        <>
          <p className="prose">The coordinates of its nodes are not degrees. Are they metres in a coordinate system, or only a drawing of a network with given weights?</p>
          <p className="question">
            Take them as{" "}
            <Word
              kind="way"
              label="What the coordinates are"
              value={sense}
              options={[...(weights.length ? [["drawing", "a drawing without geography"] as [string, string]] : []), ["system", "places in a coordinate system"]]}
              onChange={setSense}
            />
            {sense === "drawing" ? (
              <>
                , the length of each link from{" "}
                <Word kind="amount" label="Column with the lengths" value={weight} options={weights.map((name) => [name, name])} onChange={setWeight} /> in{" "}
                <Word kind="amount" label="Unit of the lengths" value={lengthUnit} options={LENGTH_UNITS} onChange={setLengthUnit} />.
              </>
            ) : (
              <>
                : <Text label="Coordinate system" value={crs} placeholder="EPSG:32625" onChange={setCrs} />.
              </>
            )}
          </p>
        </>
      ) : (
        <p className="prose">
          {figure(graph.nodes)} nodes and {figure(graph.links)} links,{" "}
          {graph.drawn ? "without geography: laid out by their connections" : `${figure(graph.length_km, 1)} km`}. Numbers, attributes, costs and turn restrictions are kept as
          they are; nothing is joined or broken.
          {graph.length_unit && (
            <>
              {" "}
              Its lengths are in <Word kind="amount" label="Unit of the lengths" value={lengthUnit} options={LENGTH_UNITS} onChange={setLengthUnit} />.
            </>
          )}
          {graph.speed_unit && (
            <>
              {" "}
              Its speeds are in <Word kind="amount" label="Unit of the speeds" value={speedUnit} options={SPEED_UNITS} onChange={setSpeedUnit} />.
            </>
          )}
          {Object.entries(graph.left_out ?? {}).map(([what, count]) => ` Left out, ${what}: ${figure(count)}.`)}
        </p>
      )}
      <FormEnd
        state={state}
        problem={problem}
        act="Build streets"
        disabled={graph.problem !== undefined && sense === "system" && !crs.trim()}
        onAct={() => void build({ study, ...(graph.problem ? placed : { speed_unit: graph.speed_unit && speedUnit, length_unit: graph.length_unit && lengthUnit }) })}
        onLeave={() => leave(incoming, onClose)}
      />
    </section>
  );
}
