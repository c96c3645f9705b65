/** The layers of a file, each with what it is used as; coordinate systems are asked for where they are missing or wrong. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { lookAgain, type UploadedLayer, type Reading } from "../../api/uploads";
import { AskTrips } from "./AskTrips";
import { figure, words } from "../../common/format";
import { Text, Word } from "../../controls/inline";
import { message } from "../../api/client";
import { useScreen, useScreenValue } from "../../state/screen";
import { FormEnd, leave, useBuild, type FormProps } from "./form";
import { LineForm } from "./LineForm";
import { readingOf } from "./waiting";

const OUT = "out";
/** What a layer can be used as, by its geometry; streets come from lines alone. */
const USES: Record<string, string[]> = {
  point: ["places"],
  polygon: ["zones", "parcels", "buildings", "places"],
  line: ["streets", "lines"],
  raster: ["elevation", "population"],
};

export function LayersForm({ upload, study, onDone, onClose }: FormProps) {
  const { refineDraft } = useScreen("refineDraft");
  const [roles, setRoles] = useState<Record<string, string>>({});
  const reading = useReading();
  const [keys, setKeys] = useState<Record<string, string>>({});
  const [asLines, setAsLines] = useState<UploadedLayer | null>(null);
  const { state, problem, setProblem, add, addAsTrips } = useBuild(upload, onDone);
  const key = (layer: UploadedLayer) => layer.name ?? upload.name;
  const usable = upload.layers.filter((layer) => !layer.problem && !layer.unusable);
  const begun = study !== null;
  const roleOf = (layer: UploadedLayer) => roles[key(layer)] ?? suggested(layer, begun);
  const streets = usable.find((layer) => roleOf(layer) === "streets");
  const others = usable.filter((layer) => ![OUT, "streets"].includes(roleOf(layer)));
  const asked = upload.layers.find((layer) => (layer.problem && !layer.columns) ?? layer.far);
  const unplaced = upload.layers.find((layer) => layer.columns);

  const look = async (more: Reading) => {
    setProblem(null);
    try {
      const again = await lookAgain(upload.token, study, { ...reading, ...more });
      refineDraft({ ...more, upload: again });
    } catch (error) {
      setProblem(message(error));
    }
  };
  const onlyLines = usable.length > 0 && usable.every(({ geometry }) => geometry === "line" || geometry === "point") && streets && !begun;
  if (asLines || onlyLines) {
    const props = asLines ? { only: asLines } : {};
    return <LineForm upload={upload} study={study} onDone={onDone} onClose={onClose} crs={reading.crs ?? null} {...props} />;
  }
  const point = upload.layers.length > 0 && !begun && !streets;
  return (
    <section className="line-form" aria-label={t`Layers of a file`} data-testid="layers-form">
      <h1><Trans>What’s in this file?</Trans></h1>
      <p className="dateline">{upload.name}</p>
      {asked && <AskSystem layer={asked} onTake={(crs) => void look({ crs })} />}
      {unplaced && !unplaced.only_trips && <AskColumns layer={unplaced} onTake={(x, y) => void look({ x, y })} />}
      {unplaced && study && <AskTrips study={study} columns={unplaced.columns ?? []} onTake={(ends) => void addAsTrips(study, ends)} />}
      <table className="plain">
        <thead>
          <tr>
            <th><Trans>Layer</Trans></th>
            <th className="n">{upload.kind === "raster" ? t`Cells` : t`Features`}</th>
            <th><Trans>Used as</Trans></th>
            <th><Trans>Identified by</Trans></th>
          </tr>
        </thead>
        <tbody>
          {upload.layers.map((layer) => (
            <tr key={key(layer)} className={layer.problem ?? layer.unusable ? "quiet" : undefined}>
              <td>
                {words(layer.name ?? upload.name)}
                <small className="under">{about(layer)}</small>
              </td>
              <td className="n">{layer.count ? figure(layer.count) : ""}</td>
              <td>
                {layer.problem ? (
                  t`not yet known`
                ) : layer.unusable ? (
                  t`cannot be used`
                ) : (
                  <Word
                    kind="way"
                    label={t`Use of ${words(layer.name ?? upload.name)}`}
                    value={roleOf(layer)}
                    options={[...(USES[layer.geometry] ?? []).map((role): [string, string] => [role, role]), [OUT, t`nothing, leave it out`]]}
                    onChange={(role) => setRoles({ ...roles, [key(layer)]: role })}
                  />
                )}
              </td>
              <td>
                {(layer.keys?.length ?? 0) > 0 && (
                  <Word
                    kind="way"
                    label={t`Field that identifies ${words(layer.name ?? upload.name)}`}
                    value={keys[key(layer)] ?? layer.key ?? ""}
                    options={[...(layer.key ? [] : [["", t`their number`] as [string, string]]), ...(layer.keys ?? []).map((field): [string, string] => [field, words(field)])]}
                    onChange={(field) => setKeys({ ...keys, [key(layer)]: field })}
                  />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {point && <p className="notice"><Trans>A study begins with streets: bring in a map extract or street lines first, then these layers.</Trans></p>}
      {streets && others.length > 0 && <p className="notice"><Trans>Streets are built by themselves: the other layers stay out this time, and can be brought in afterwards.</Trans></p>}
      <FormEnd
        state={state}
        problem={problem}
        act={streets ? t`Go on to the streets` : plural(others.length, { one: "Add the layer", other: "Add # layers" })}
        disabled={point || (!streets && others.length === 0)}
        onAct={() => {
          if (streets) setAsLines(streets);
          else if (study) void add(study, others.map((layer) => ({ name: layer.name, role: roleOf(layer), key: keys[key(layer)] ?? null, ...reading })));
        }}
        onLeave={() => leave(upload, onClose)}
      />
    </section>
  );
}

/** Lines that know their class, or come before there are any streets, are streets. */
function suggested(layer: UploadedLayer, begun: boolean): string {
  if (layer.geometry !== "line") return layer.role ?? OUT;
  return !begun || (layer.known?.street_class ?? 0) > 0.5 ? "streets" : "lines";
}

function about(layer: UploadedLayer): string {
  if (layer.problem) return layer.problem;
  if (layer.unusable) return layer.unusable;
  const said = [];
  if (layer.raster) {
    const { rows, columns, cell_m, least, most } = layer.raster;
    said.push(t`${columns} × ${rows} cells of ${figure(cell_m)} m, ${figure(least, 1)} to ${figure(most, 1)}`);
  } else {
    said.push(`${layer.geometry}s`);
    if (layer.length_km) said.push(t`${figure(layer.length_km, 1)} km`);
    const fields = Object.keys(layer.fields);
    if (fields.length) {
      const named = `${fields.slice(0, 6).map(words).join(", ")}${fields.length > 6 ? " …" : ""}`;
      said.push(plural(fields.length, { one: `# field: ${named}`, other: `# fields: ${named}` }));
    }
  }
  if (layer.crs) said.push(layer.crs);
  if (layer.notes?.repaired) said.push(t`${figure(layer.notes.repaired)} outlines cross themselves and are repaired: ${layer.notes.repaired_named[0] ?? ""}`);
  if (layer.notes?.left_out) said.push(t`${figure(layer.notes.left_out)} faulty rows are left out: ${layer.notes.left_out_named[0] ?? ""}`);
  if (layer.without_geometry) said.push(t`${figure(layer.without_geometry)} without a place`);
  return said.join(" · ");
}

function AskSystem({ layer, onTake }: { layer: UploadedLayer; onTake: (system: string) => void }) {
  const [text, setText] = useState(layer.candidates?.[0] ?? "");
  return (
    <div className="notice" role="status">
      {layer.problem ?? t`It lies far from the streets of this study: the stated coordinate system may be wrong.`}{" "}
      {(layer.candidates?.length ?? 0) > 0 && t`In ${(layer.candidates ?? []).join(" or ")} it would fit.`}
      <form
        className="row"
        onSubmit={(event) => {
          event.preventDefault();
          if (text.trim()) onTake(text.trim());
        }}
      >
        <Trans>
          Its coordinates are in <Text label={t`Coordinate system`} value={text} placeholder="EPSG:32625" onChange={setText} />
          <button className="linkish" disabled={!text.trim()}>
            Look again
          </button>
        </Trans>
      </form>
    </div>
  );
}

/** Which columns of a table hold the coordinates of a row. */
function AskColumns({ layer, onTake }: { layer: UploadedLayer; onTake: (x: string, y: string) => void }) {
  const columns = (layer.columns ?? []).filter(Boolean);
  const [x, setX] = useState(columns[0] ?? "");
  const [y, setY] = useState(columns[1] ?? "");
  const options = columns.map((name): [string, string] => [name, name]);
  return (
    <div className="notice" role="status">
      {layer.problem}.{" "}
      <form
        className="row"
        onSubmit={(event) => {
          event.preventDefault();
          onTake(x, y);
        }}
      >
        <Trans>
          Longitude or easting is in <Word kind="way" label={t`Column with longitude or easting`} value={x} options={options} onChange={setX} />, latitude or northing in{" "}
          <Word kind="way" label={t`Column with latitude or northing`} value={y} options={options} onChange={setY} />{" "}
          <button className="linkish" disabled={!x || !y || x === y}>
            Look again
          </button>
        </Trans>
      </form>
    </div>
  );
}

/** How the file is read, as far as it was said. */
function useReading(): Reading {
  const draft = useScreenValue((screen) => screen.draft);
  return draft ? readingOf(draft) : {};
}
