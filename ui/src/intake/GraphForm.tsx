/** A ready street graph: taken in as it is, once it is known where its coordinates are. */
import { useState } from "react";
import type { ReadyGraph } from "../api/incoming";
import { figure } from "../common/format";
import { Text, Word } from "../common/words";
import { FormEnd, leave, useBuild, type FormProps } from "./form";

export function GraphForm({ incoming, study, onDone, onClose }: FormProps) {
  const graph = incoming.graph as ReadyGraph;
  const weights = graph.weights ?? [];
  const [sense, setSense] = useState(weights.length ? "drawing" : "system");
  const [weight, setWeight] = useState(weights[0] ?? "");
  const [crs, setCrs] = useState("");
  const { state, problem, build } = useBuild(incoming, onDone);
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
                <Word kind="amount" label="Column with the lengths" value={weight} options={weights.map((name) => [name, name])} onChange={setWeight} />.
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
          {figure(graph.nodes)} nodes and {figure(graph.links)} links, {figure(graph.length_km, 1)} km. Numbers, attributes, costs and turn restrictions are kept as
          they are; nothing is joined or broken.
          {Object.entries(graph.left_out ?? {}).map(([what, count]) => ` Left out: ${figure(count)} ${what}.`)}
        </p>
      )}
      <FormEnd
        state={state}
        problem={problem}
        act="Build streets"
        disabled={graph.problem !== undefined && sense === "system" && !crs.trim()}
        onAct={() => void build({ study, weight: graph.problem && sense === "drawing" ? weight : null, crs: graph.problem && sense === "system" ? crs.trim() : null })}
        onLeave={() => leave(incoming, onClose)}
      />
    </section>
  );
}
