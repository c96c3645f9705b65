/** A map extract before it is built: what came in, which part of it, which classes of street. The map shows what stays. */
import { useRef, useState } from "react";
import { areaOfFile, type Extract } from "../../api/incoming";
import type { LayerInfo } from "../../api/studies";
import { figure, percent, words } from "../../common/format";
import { Amount, Word } from "../../controls/inline";
import { message } from "../../api/client";
import { useScreen } from "../../state/screen";
import { FormEnd, leave, useBuild, type FormProps } from "./form";

export function ExtractForm({ incoming, study, onDone, onClose, layers }: FormProps & { layers: LayerInfo[] }) {
  const extract = incoming.extract as Extract;
  const { draft, refineDraft, draw } = useScreen("draft", "refineDraft", "draw");
  const without = draft?.without ?? [];
  const [part, setPart] = useState("all");
  const [first, setFirst] = useState("1");
  const file = useRef<HTMLInputElement>(null);
  const { state, problem, setProblem, build } = useBuild(incoming, onDone);
  const zones = layers.filter(({ role, geometry }) => role !== "base" && role !== "answer" && geometry.includes("POLYGON"));

  const choose = (wanted: string) => {
    setPart(wanted);
    refineDraft({ area: null });
    draw(null);
    if (wanted === "box" || wanted === "outline") draw({ kind: wanted, done: (area) => refineDraft({ area }) });
    if (wanted === "file") file.current?.click();
  };
  const read = (chosen: File | undefined) => {
    if (!chosen) return setPart("all");
    setProblem(null);
    areaOfFile(chosen).then(
      (area) => refineDraft({ area }),
      (error: unknown) => {
        setProblem(message(error));
        setPart("all");
      },
    );
  };
  const toggle = (name: string) => refineDraft({ without: without.includes(name) ? without.filter((one) => one !== name) : [...without, name] });
  const kept = extract.classes.filter((one) => !without.includes(one.class));
  const drawn = part === "box" || part === "outline";
  return (
    <section className="line-form" aria-label="Extract to streets" data-testid="extract-form">
      <h1>What’s in this file?</h1>
      <p className="dateline">{incoming.name}</p>
      <p className="prose">
        {figure(extract.streets)} of {figure(extract.ways)} ways are streets, {figure(extract.length_km, 1)} km. By length, {percent(extract.known.speed ?? 0)} have
        a posted limit, {percent(extract.known.name ?? 0)} a name, {percent(extract.known.direction ?? 0)} say their direction.{" "}
        {figure(extract.restrictions)} turn restrictions, {figure(extract.barriers)} barriers.
        {(extract.off_earth ?? 0) > 0 && ` ${figure(extract.off_earth)} nodes have impossible coordinates and are left out.`}
      </p>
      <p className="question">
        Build streets from{" "}
        <Word
          kind="place"
          label="Study area"
          value={part}
          options={[
            ["all", "the whole extract"],
            ["box", "a box drawn on the map"],
            ["outline", "an outline drawn on the map"],
            ["file", "the polygons of a file"],
            ...zones.map(({ id, title }): [string, string] => [`layer:${id}`, `the ground of ${title.toLowerCase()}`]),
          ]}
          onChange={choose}
        />
        , with{" "}
        <span className="slot way as-text">
          {kept.length === extract.classes.length ? "every class of street" : `${kept.length} of ${extract.classes.length} classes`}
        </span>
        , nodes numbered from <Amount label="First node number" value={first} onChange={setFirst} />.
      </p>
      <input ref={file} className="sr" type="file" aria-label="File with the study area" data-testid="area-file" onChange={(event) => read(event.target.files?.[0])} />
      {drawn && !draft?.area && (
        <p className="notice" role="status">
          {part === "box" ? "Click two corners of the box on the map." : "Click the corners of the outline on the map; click the last one again to close it."}
        </p>
      )}
      {draft?.area && drawn && (
        <p className="notice">
          Only what lies inside is built; streets end there in border nodes.{" "}
          <button className="linkish" onClick={() => choose(part)}>
            Draw it again
          </button>
        </p>
      )}
      <table className="plain classes">
        <thead>
          <tr>
            <th>Class of street</th>
            <th className="n">Ways</th>
            <th className="n">Length</th>
          </tr>
        </thead>
        <tbody>
          {extract.classes.map((one) => {
            const on = !without.includes(one.class);
            return (
              <tr key={one.class} className={on ? undefined : "quiet"}>
                <td>
                  <button className="legend-row" aria-pressed={on} onClick={() => toggle(one.class)}>
                    <span className="dot" aria-hidden="true" />
                    {words(one.class)}
                  </button>
                </td>
                <td className="n">{figure(one.count)}</td>
                <td className="n">{figure(one.length_km, 1)} km</td>
              </tr>
            );
          })}
        </tbody>
        <tfoot>
          <tr>
            <td>Wanted</td>
            <td className="n">{figure(kept.reduce((sum, one) => sum + one.count, 0))}</td>
            <td className="n">{figure(kept.reduce((sum, one) => sum + one.length_km, 0), 1)} km</td>
          </tr>
        </tfoot>
      </table>
      <p className="notice">A class that is off is not built at all: no mode can use it later. What a mode may use is a matter of the stage Modes.</p>
      <FormEnd
        state={state}
        problem={problem}
        act="Build streets"
        disabled={kept.length === 0 || (drawn && !draft?.area)}
        onAct={() =>
          void build({
            study,
            without,
            first_node: Number(first),
            area: draft?.area ?? null,
            area_layer: part.startsWith("layer:") ? part.slice(6) : null,
          })
        }
        onLeave={() => leave(incoming, onClose)}
      />
    </section>
  );
}
