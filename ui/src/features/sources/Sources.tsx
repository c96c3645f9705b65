/** Stage Sources: what came in, and what else is wanted. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import type { BuildReport, JobInfo, LayerInfo, Overview } from "../../api/studies";
import { clock, figure, km, words } from "../../common/format";
import type { Answer } from "../../state/sheet";
import { Drop, LAYER_FILES, STREET_FILES } from "./Drop";
import { ImportForm } from "./ImportForm";
import { CHANGEABLE, LayerPage } from "./LayerPage";
import { screenNow, useScreen } from "../../state/screen";
import { changeLayer, dropLayer } from "../../api/layers";
import { Word } from "../../controls/inline";
import { Timetables } from "./Timetables";

const USES: Record<string, string> = { base: t`base map`, streets: "links", restrictions: "turns", transit: t`timetable` };

export function Sources({ overview }: { overview: Overview }) {
  const queries = useQueryClient();
  const { draft, layer } = useScreen("draft", "layer");
  const { build, layers } = overview;
  const landed = (job: JobInfo) => {
    // Answers that no page shows are not fetched anew; that they no longer fit the streets is known all the same.
    if (job.result?.report) {
      queries.setQueriesData<Answer | null>({ queryKey: ["answer", overview.id] }, (answer) => answer && { ...answer, fresh: false });
    }
    void queries.invalidateQueries();
  };
  if (draft) return <ImportForm study={overview.id} layers={layers} onDone={landed} />;
  if (layer && layers.some(({ id }) => id === layer)) return <LayerPage key={layer} overview={overview} ident={layer} />;
  const own = layers.filter(({ role }) => CHANGEABLE.includes(role));
  const answers = layers.filter(({ role }) => role === "answer");
  const streets = layers.filter(({ role }) => ["streets", "nodes", "restrictions"].includes(role));
  const base = layers.filter(({ role }) => role === "base");
  const transit = layers.filter(({ role }) => role === "transit");
  return (
    <>
      <h1><Trans>Sources</Trans></h1>
      <p className="dateline">{build ? t`Streets from ${build.source}, taken in at ${clock(build.built)}` : t`No streets yet`}</p>
      {build && <CameIn build={build} />}
      <h2><Trans>Bring in</Trans></h2>
      <Drop
        study={overview.id}
        prompt={t`Drop layers of places or zones, rasters, a timetable, or newer streets, or`}
        hint={`${STREET_FILES}. ${LAYER_FILES}.`}
      />
      <h2><Trans>Layers</Trans></h2>
      {own.length === 0 ? <p className="notice"><Trans>No places or zones yet. Questions about people need zones with numbers of people.</Trans></p> : <LayerTable layers={own} />}
      {overview.rasters.length > 0 && <RasterTable overview={overview} />}
      {overview.timetables.length > 0 && <Timetables overview={overview} />}
      {streets.length > 0 && (
        <>
          <h2><Trans>The street graph as layers</Trans></h2>
          <LayerTable layers={streets} />
        </>
      )}
      {transit.length > 0 && (
        <>
          <h2><Trans>The timetable as layers</Trans></h2>
          <LayerTable layers={transit} />
        </>
      )}
      {answers.length > 0 && (
        <>
          <h2><Trans>Kept answers</Trans></h2>
          <LayerTable layers={answers} />
        </>
      )}
      {base.length > 0 && (
        <>
          <h2><Trans>Base map, from the extract</Trans></h2>
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
          [t`Ways read`, figure(build.ways_read), ""],
          [t`Streets`, figure(build.streets_read), ""],
          [t`Street length`, figure(build.length_m / 1000), "km"],
          [t`Missing nodes`, figure(build.references_missing), ""],
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
        <Trans>
          By length, {figure(build.share_with_maxspeed * 100)}% of the streets have a posted limit, {figure(build.share_named * 100)}% a name, and{" "}
          {figure(build.share_oneway * 100)}% are one-way.{" "}
          {Object.keys(build.classes_left_out ?? {}).length > 0 && t`Left out by choice: ${Object.keys(build.classes_left_out).map(words).join(", ")}.`}{" "}
          {build.references_missing > 0 && t`Ways refer to ${figure(build.references_missing)} nodes that the extract lacks: streets are cut there.`}
        </Trans>
      </p>
      <Doubtful build={build} />
      <table className="plain">
        <thead>
          <tr>
            <th><Trans>Class of street</Trans></th>
            <th className="n"><Trans>Links</Trans></th>
            <th className="n"><Trans>Length</Trans></th>
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

/** What the build left out or could not decide. */
function Doubtful({ build }: { build: BuildReport }) {
  const told = [
    ...((build.nodes_off_earth ?? 0) > 0 ? [t`${figure(build.nodes_off_earth)} nodes have impossible coordinates and were left out.`] : []),
    ...((build.objects_repeated ?? 0) > 0 ? [t`${figure(build.objects_repeated)} objects were in the file more than once; the last of each holds.`] : []),
    ...Object.entries(build.left_out ?? {}).map(([what, count]) => t`Left out, ${what}: ${figure(count)}.`),
    ...((build.coast_disputed_m ?? 0) > 0
      ? [t`Coastline and streets contradict each other along ${km(build.coast_disputed_m ?? 0)} of ${km(build.coast_m ?? 0)} of coast: no sea is drawn there.`]
      : []),
  ];
  return told.map((text) => (
    <p className="notice" key={text}>
      {text}
    </p>
  ));
}

function LayerTable({ layers }: { layers: LayerInfo[] }) {
  return (
    <table className="plain">
      <thead>
        <tr>
          <th><Trans>Layer</Trans></th>
          <th className="n"><Trans>Features</Trans></th>
          <th><Trans>Used as</Trans></th>
          <th><Trans>Fields</Trans></th>
        </tr>
      </thead>
      <tbody>
        {layers.map((layer) => (
          <tr key={layer.id} title={t`From ${layer.source}`}>
            <td>
              <button className="linkish" onClick={() => screenNow().lookAtLayer(layer.id)}>
                {layer.title}
              </button>
              <small className="under">{layerFaults(layer)}</small>
            </td>
            <td className="n">{figure(layer.count)}</td>
            <td>{USES[layer.role] ?? layer.role}</td>
            <td className="faint">{Object.keys(layer.fields).map(words).join(", ")}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function RasterTable({ overview }: { overview: Overview }) {
  const queries = useQueryClient();
  const again = () => queries.invalidateQueries({ queryKey: ["overview", overview.id] });
  return (
    <table className="plain">
      <thead>
        <tr>
          <th><Trans>Raster</Trans></th>
          <th className="n"><Trans>Cells</Trans></th>
          <th><Trans>Used as</Trans></th>
          <th><Trans>Values</Trans></th>
          <th />
        </tr>
      </thead>
      <tbody>
        {overview.rasters.map((raster) => (
          <tr key={raster.id} title={t`From ${raster.source}`}>
            <td>
              {raster.title}
              <small className="under">{(raster.notes ?? []).join(" ")}</small>
            </td>
            <td className="n">
              <Trans>{raster.columns} × {raster.rows} of {figure(raster.cell_m)} m</Trans>
            </td>
            <td>
              <Word
                kind="way"
                label={t`Use of ${raster.title}`}
                value={raster.role}
                options={[["elevation", t`elevation`], ["population", t`population`]]}
                onChange={(role) => void changeLayer(overview.id, raster.id, { role }).then(again)}
              />
            </td>
            <td className="faint">
              {raster.role === "population"
                ? t`${figure(raster.least)} to ${figure(raster.most)}, ${figure(raster.total)} people`
                : t`${figure(raster.least)} to ${figure(raster.most)} m`}
            </td>
            <td>
              <button className="linkish" onClick={() => void dropLayer(overview.id, raster.id).then(again)}>
                <Trans>Remove</Trans>
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Faults of a layer in a few words; its page names them. */
function layerFaults({ notes }: LayerInfo): string {
  if (!notes) return "";
  return [notes.left_out && t`${figure(notes.left_out)} left out`, notes.repaired && t`${figure(notes.repaired)} repaired`].filter(Boolean).join(", ");
}
