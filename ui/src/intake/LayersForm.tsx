/** The layers of a file, each with what it is used as; coordinate systems are asked for where they are missing or wrong. */
import { useState } from "react";
import { lookAgain, type IncomingLayer } from "../api/incoming";
import { figure, words } from "../common/format";
import { Text, Word } from "../common/words";
import { message } from "../state/sheet";
import { useScreen } from "../state/store";
import { FormEnd, leave, useBuild, type FormProps } from "./form";
import { LineForm } from "./LineForm";

const OUT = "out";
/** What a layer can be used as, by its geometry; streets come from lines alone. */
const USES: Record<string, string[]> = {
  point: ["places"],
  polygon: ["zones", "parcels", "buildings", "places"],
  line: ["streets", "lines"],
  raster: ["elevation", "population"],
};

export function LayersForm({ incoming, study, onDone, onClose }: FormProps) {
  const { set } = useScreen();
  const [roles, setRoles] = useState<Record<string, string>>({});
  const crs = useScreen((screen) => screen.intake?.crs ?? null);
  const [asLines, setAsLines] = useState<IncomingLayer | null>(null);
  const { state, problem, setProblem, add } = useBuild(incoming, onDone);
  const key = (layer: IncomingLayer) => layer.name ?? incoming.name;
  const usable = incoming.layers.filter((layer) => !layer.problem && !layer.unusable);
  const begun = study !== null;
  const roleOf = (layer: IncomingLayer) => roles[key(layer)] ?? suggested(layer, begun);
  const streets = usable.find((layer) => roleOf(layer) === "streets");
  const others = usable.filter((layer) => ![OUT, "streets"].includes(roleOf(layer)));
  const asked = incoming.layers.find((layer) => layer.problem ?? layer.far);

  const look = async (system: string) => {
    setProblem(null);
    try {
      const again = await lookAgain(incoming.token, study, system);
      const now = useScreen.getState().intake;
      if (now) set({ intake: { ...now, incoming: again, crs: system } });
    } catch (error) {
      setProblem(message(error));
    }
  };
  const onlyLines = usable.length > 0 && usable.every(({ geometry }) => geometry === "line" || geometry === "point") && streets && !begun;
  if (asLines || onlyLines) {
    const props = asLines ? { only: asLines } : {};
    return <LineForm incoming={incoming} study={study} onDone={onDone} onClose={onClose} crs={crs} {...props} />;
  }
  const point = incoming.layers.length > 0 && !begun && !streets;
  return (
    <section className="line-form" aria-label="Layers of a file" data-testid="layers-form">
      <h1>What is it used as?</h1>
      <p className="dateline">{incoming.name}</p>
      {asked && <AskSystem layer={asked} onTake={(system) => void look(system)} />}
      <table className="plain">
        <thead>
          <tr>
            <th>Layer</th>
            <th className="n">{incoming.kind === "raster" ? "Cells" : "Features"}</th>
            <th>Used as</th>
          </tr>
        </thead>
        <tbody>
          {incoming.layers.map((layer) => (
            <tr key={key(layer)} className={layer.problem ?? layer.unusable ? "quiet" : undefined}>
              <td>
                {words(layer.name ?? incoming.name)}
                <small className="under">{about(layer)}</small>
              </td>
              <td className="n">{layer.count ? figure(layer.count) : ""}</td>
              <td>
                {layer.problem ? (
                  "not yet known"
                ) : layer.unusable ? (
                  "cannot be used"
                ) : (
                  <Word
                    kind="way"
                    label={`Use of ${words(layer.name ?? incoming.name)}`}
                    value={roleOf(layer)}
                    options={[...(USES[layer.geometry] ?? []).map((role): [string, string] => [role, role]), [OUT, "nothing, leave it out"]]}
                    onChange={(role) => setRoles({ ...roles, [key(layer)]: role })}
                  />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {point && <p className="notice">A study begins with streets: bring in a map extract or street lines first, then these layers.</p>}
      {streets && others.length > 0 && <p className="notice">Streets are built by themselves: the other layers stay out this time, and can be brought in afterwards.</p>}
      <FormEnd
        state={state}
        problem={problem}
        act={streets ? "Go on to the streets" : others.length === 1 ? "Add the layer" : `Add ${others.length} layers`}
        disabled={point || (!streets && others.length === 0)}
        onAct={() => {
          if (streets) setAsLines(streets);
          else if (study) void add(study, others.map((layer) => ({ name: layer.name, role: roleOf(layer), crs })));
        }}
        onLeave={() => leave(incoming, onClose)}
      />
    </section>
  );
}

/** Lines that know their class, or come before there are any streets, are streets. */
function suggested(layer: IncomingLayer, begun: boolean): string {
  if (layer.geometry !== "line") return layer.role ?? OUT;
  return !begun || (layer.known?.street_class ?? 0) > 0.5 ? "streets" : "lines";
}

function about(layer: IncomingLayer): string {
  if (layer.problem) return layer.problem;
  if (layer.unusable) return layer.unusable;
  const said = [];
  if (layer.raster) {
    const { rows, columns, cell_m, least, most } = layer.raster;
    said.push(`${columns} × ${rows} cells of ${figure(cell_m)} m, ${figure(least, 1)} to ${figure(most, 1)}`);
  } else {
    said.push(`${layer.geometry}s`);
    if (layer.length_km) said.push(`${figure(layer.length_km, 1)} km`);
    const fields = Object.keys(layer.fields);
    if (fields.length) said.push(`${fields.length} ${fields.length === 1 ? "field" : "fields"}: ${fields.slice(0, 6).map(words).join(", ")}${fields.length > 6 ? " …" : ""}`);
  }
  if (layer.crs) said.push(layer.crs);
  if (layer.invalid) said.push(`${figure(layer.invalid)} broken shapes, repaired on the way in`);
  if (layer.without_geometry) said.push(`${figure(layer.without_geometry)} without a place`);
  return said.join(" · ");
}

function AskSystem({ layer, onTake }: { layer: IncomingLayer; onTake: (system: string) => void }) {
  const [text, setText] = useState(layer.candidates?.[0] ?? "");
  return (
    <div className="notice" role="status">
      {layer.problem ?? "It lies far from the streets of this study: the stated coordinate system may be wrong."}{" "}
      {(layer.candidates?.length ?? 0) > 0 && `In ${(layer.candidates ?? []).join(" or ")} it would fit. `}
      <form
        className="row"
        onSubmit={(event) => {
          event.preventDefault();
          if (text.trim()) onTake(text.trim());
        }}
      >
        Its coordinates are in <Text label="Coordinate system" value={text} placeholder="EPSG:32625" onChange={setText} />
        <button className="linkish" disabled={!text.trim()}>
          Look again
        </button>
      </form>
    </div>
  );
}
