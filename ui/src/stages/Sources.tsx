/** Stage Sources: what came in, and what else is wanted. */
import { useQueryClient } from "@tanstack/react-query";
import type { BuildReport, JobInfo, LayerInfo, Overview } from "../api/own";
import { clock, figure, km, words } from "../common/format";
import type { Answer } from "../state/sheet";
import { Drop, EXTRACTS, LINES } from "./intake";

const USES: Record<string, string> = { places: "places", zones: "zones", base: "base map" };

export function Sources({ overview }: { overview: Overview }) {
  const queries = useQueryClient();
  const { build, layers } = overview;
  const landed = (job: JobInfo) => {
    // Answers that no page shows are not fetched anew; that they no longer fit the streets is known all the same.
    if (job.result?.report) {
      queries.setQueriesData<Answer | null>({ queryKey: ["answer", overview.id] }, (answer) => answer && { ...answer, fresh: false });
    }
    void queries.invalidateQueries();
  };
  const own = layers.filter(({ role }) => role === "places" || role === "zones");
  const base = layers.filter(({ role }) => role === "base");
  return (
    <>
      <h1>What do we have?</h1>
      <p className="dateline">{build ? `Streets from ${build.source}, taken in at ${clock(build.built)}` : "No streets yet"}</p>
      {build && <CameIn build={build} />}
      <h2>Bring in</h2>
      <Drop
        path={`/studies/${overview.id}/sources`}
        study={overview.id}
        prompt="Drop a layer of places or zones, or newer streets, or"
        hint={`Layers: GeoPackage, GeoJSON, FlatGeobuf, zipped Shapefile, or CSV with lon and lat. Streets: ${EXTRACTS}; ${LINES}`}
        onDone={landed}
      />
      <h2>Layers</h2>
      {own.length === 0 ? <p className="notice">No places or zones yet. Questions about people need zones with numbers of people.</p> : <LayerTable layers={own} />}
      {base.length > 0 && (
        <>
          <h2>Base map, from the extract</h2>
          <LayerTable layers={base} />
        </>
      )}
    </>
  );
}

function CameIn({ build }: { build: BuildReport }) {
  const classes = Object.entries(build.length_by_class_m);
  return (
    <>
      <div className="report-figures">
        {[
          ["Ways read", figure(build.ways_read), ""],
          ["Streets", figure(build.streets_read), ""],
          ["Street length", figure(build.length_m / 1000), "km"],
          ["Nodes lacking", figure(build.references_missing), ""],
        ].map(([label, value, unit]) => (
          <div className="figure" key={label}>
            <b>
              {value}
              {unit && <small>{unit}</small>}
            </b>
            <span>{label}</span>
          </div>
        ))}
      </div>
      <p className="prose">
        By length, {figure(build.share_with_maxspeed * 100)} % of the streets have a posted limit, {figure(build.share_named * 100)} % a name, and{" "}
        {figure(build.share_oneway * 100)} % are one-way.
        {build.references_missing > 0 && ` Ways refer to ${figure(build.references_missing)} nodes that the extract lacks: streets are cut there.`}
      </p>
      <table className="plain">
        <thead>
          <tr>
            <th>Class of street</th>
            <th className="n">Links</th>
            <th className="n">Length</th>
          </tr>
        </thead>
        <tbody>
          {classes.map(([name, metres]) => (
            <tr key={name}>
              <td>{words(name)}</td>
              <td className="n">{figure(build.links_by_class[name])}</td>
              <td className="n">{km(metres)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function LayerTable({ layers }: { layers: LayerInfo[] }) {
  return (
    <table className="plain">
      <thead>
        <tr>
          <th>Layer</th>
          <th className="n">Features</th>
          <th>Used as</th>
          <th>Fields</th>
        </tr>
      </thead>
      <tbody>
        {layers.map((layer) => (
          <tr key={layer.id} title={`From ${layer.source}`}>
            <td>{layer.title}</td>
            <td className="n">{figure(layer.count)}</td>
            <td>{USES[layer.role] ?? layer.role}</td>
            <td className="faint">{Object.keys(layer.fields).map(words).join(", ")}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
