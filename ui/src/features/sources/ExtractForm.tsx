/** A map extract before it is built: what came in, which part of it, which classes of street. The map shows what stays. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useRef, useState } from "react";
import { areaOfFile, type Extract } from "../../api/uploads";
import type { LayerInfo } from "../../api/studies";
import { figure, percent, words } from "../../common/format";
import { Amount, Word } from "../../controls/inline";
import { message } from "../../api/client";
import { useScreen } from "../../state/screen";
import { FormEnd, leave, useBuild, type FormProps } from "./form";

export function ExtractForm({ upload, study, onDone, onClose, layers }: FormProps & { layers: LayerInfo[] }) {
  const extract = upload.extract as Extract;
  const { draft, refineDraft, draw } = useScreen("draft", "refineDraft", "draw");
  const without = draft?.without ?? [];
  const [part, setPart] = useState("all");
  const [first, setFirst] = useState("1");
  const file = useRef<HTMLInputElement>(null);
  const { state, problem, setProblem, build } = useBuild(upload, onDone);
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
    <section className="line-form" aria-label={t`Extract to streets`} data-testid="extract-form">
      <h1><Trans>What’s in this file?</Trans></h1>
      <p className="dateline">{upload.name}</p>
      <p className="prose">
        <Trans>
          {figure(extract.streets)} of {figure(extract.ways)} ways are streets, {figure(extract.length_km, 1)} km. By length, {percent(extract.known.speed ?? 0)} have
          a posted limit, {percent(extract.known.name ?? 0)} a name, {percent(extract.known.direction ?? 0)} say their direction.{" "}
          {figure(extract.restrictions)} turn restrictions, {figure(extract.barriers)} barriers. {(extract.off_earth ?? 0) > 0 && t`${figure(extract.off_earth)} nodes have impossible coordinates and are left out.`}
        </Trans>
      </p>
      <p className="question">
        <Trans>
          Build streets from{" "}
          <Word
            kind="place"
            label={t`Study area`}
            value={part}
            options={[
              ["all", t`the whole extract`],
              ["box", t`a box drawn on the map`],
              ["outline", t`an outline drawn on the map`],
              ["file", t`the polygons of a file`],
              ...zones.map(({ id, title }): [string, string] => [`layer:${id}`, t`the ground of ${title.toLowerCase()}`]),
            ]}
            onChange={choose}
          />
          , with{" "}
          <span className="slot way as-text">
            {kept.length === extract.classes.length ? t`every class of street` : t`${kept.length} of ${extract.classes.length} classes`}
          </span>
          , nodes numbered from <Amount label={t`First node number`} value={first} onChange={setFirst} />.
        </Trans>
      </p>
      <input ref={file} className="sr" type="file" aria-label={t`File with the study area`} data-testid="area-file" onChange={(event) => read(event.target.files?.[0])} />
      {drawn && !draft?.area && (
        <p className="notice" role="status">
          {part === "box" ? t`Click two corners of the box on the map.` : t`Click the corners of the outline on the map; click the last one again to close it.`}
        </p>
      )}
      {draft?.area && drawn && (
        <p className="notice">
          <Trans>
            Only what lies inside is built; streets end there in border nodes.{" "}
            <button className="linkish" onClick={() => choose(part)}>
              Draw it again
            </button>
          </Trans>
        </p>
      )}
      <table className="plain classes">
        <thead>
          <tr>
            <th><Trans>Class of street</Trans></th>
            <th className="n"><Trans>Ways</Trans></th>
            <th className="n"><Trans>Length</Trans></th>
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
                <td className="n"><Trans>{figure(one.length_km, 1)} km</Trans></td>
              </tr>
            );
          })}
        </tbody>
        <tfoot>
          <tr>
            <td><Trans>Wanted</Trans></td>
            <td className="n">{figure(kept.reduce((sum, one) => sum + one.count, 0))}</td>
            <td className="n"><Trans>{figure(kept.reduce((sum, one) => sum + one.length_km, 0), 1)} km</Trans></td>
          </tr>
        </tfoot>
      </table>
      <p className="notice"><Trans>A class that is off is not built at all: no mode can use it later. What a mode may use is a matter of the stage Modes.</Trans></p>
      <FormEnd
        state={state}
        problem={problem}
        act={t`Build streets`}
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
        onLeave={() => leave(upload, onClose)}
      />
    </section>
  );
}
