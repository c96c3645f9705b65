/** The frame: thread above, page at the left, map with its margin, tray below. */
import { useIsFetching, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { boundsOf } from "./api/incoming";
import { streetArrays } from "./api/own";
import { FailedActs, Failures } from "./common/Failures";
import { Palette } from "./common/Palette";
import { IntakeForm } from "./intake/IntakeForm";
import { PreviewMap } from "./intake/PreviewMap";
import { AnswerLook } from "./legend/AnswerLook";
import { Legend, Ticks } from "./legend/Legend";
import { useLooks } from "./legend/RowLook";
import { useMapContent, type LegendGroup } from "./map/content";
import { MapView } from "./map/MapView";
import { Handout } from "./stages/Handout";
import { Home } from "./stages/Home";
import { Modes } from "./stages/Modes";
import { Sheet } from "./stages/Sheet";
import { Sources } from "./stages/Sources";
import { Streets } from "./stages/Streets";
import { useActs } from "./state/keys";
import { message, useOverview, useSheet } from "./state/sheet";
import { followAddress, go, useScreen, type Intake } from "./state/store";
import { Thread } from "./thread/Thread";
import { Tray } from "./tray/Tray";

const PAGES = { sources: Sources, streets: Streets, modes: Modes, sheet: Sheet, handout: Handout };

export function App() {
  const study = useScreen((screen) => screen.study);
  useEffect(() => {
    followAddress();
    window.addEventListener("hashchange", followAddress);
    return () => window.removeEventListener("hashchange", followAddress);
  }, []);
  const intake = useScreen((screen) => screen.intake);
  const fetching = useIsFetching();
  useEffect(() => {
    // For tests and pictures: the page is at rest when nothing is on its way.
    document.documentElement.dataset.fetching = String(fetching);
  }, [fetching]);
  if (study) return <StudyScreen key={study} study={study} />;
  return intake ? <NewStudy intake={intake} /> : <Home />;
}

/** A file that is to begin a study, and the map of what is in it. */
function NewStudy({ intake }: { intake: Intake }) {
  const [metresPerPixel, setMetresPerPixel] = useState(5);
  const drawable = boundsOf(intake.incoming) !== null;
  useEffect(() => {
    document.title = "Awl: a new study";
  }, []);
  return (
    <div className="app begin">
      <header className="head">
        <div className="brand">
          <a href="#/" onClick={() => useScreen.getState().set({ intake: null, drawing: null })}>
            <b>Awl</b>
            <span>A new study</span>
            <small>from {intake.incoming.name}</small>
          </a>
        </div>
      </header>
      <main className="left">
        <Failures panel="page" />
        <IntakeForm study={null} layers={[]} onDone={(job) => go(job.result?.study ?? null, "sources")} />
      </main>
      <div className="work">
        <div className="map-frame">
          {drawable ? (
            <>
              <PreviewMap intake={intake} onScale={setMetresPerPixel} />
              <Ticks metresPerPixel={metresPerPixel} />
            </>
          ) : (
            <div className="empty-map">{nothingDrawn(intake)}</div>
          )}
          <MapFailures />
        </div>
        {drawable ? <Legend groups={previewLegend(intake)} metresPerPixel={metresPerPixel} /> : <aside className="margin" />}
      </div>
    </div>
  );
}

/** Failed requests of the map, above it. */
function MapFailures() {
  return (
    <div className="map-failures">
      <Failures panel="map" />
    </div>
  );
}

/** Why there is no map of a file. */
function nothingDrawn({ incoming }: Intake): string {
  return incoming.extract ? "No street of this extract has its nodes in it, so there is nothing to draw." : "The map appears when it is known where the coordinates lie.";
}

/** What the map of a waiting extract shows. */
function previewLegend({ incoming, without, area }: Intake): LegendGroup[] {
  if (!incoming.extract) {
    const kinds = new Set(incoming.layers.map(({ geometry }) => geometry));
    const rows: LegendGroup["rows"] = [];
    if (incoming.graph ?? kinds.has("line")) rows.push({ key: "", label: "Line", swatch: { kind: "line", line: "var(--st-minor)" } });
    if (kinds.has("polygon")) rows.push({ key: "", label: "Polygon", swatch: { kind: "area", fill: "var(--place-wash)", line: "var(--st-minor)" } });
    if (kinds.has("point")) rows.push({ key: "", label: "Point", swatch: { kind: "circle" } });
    const note = incoming.graph?.drawn ? "A drawing: lengths on the map mean nothing." : "As it lies on the ground, before anything is joined.";
    return [{ title: "What came in", rows, note }];
  }
  const on = (incoming.extract?.classes.length ?? 0) - without.length;
  const rows: LegendGroup["rows"] = [
    { key: "", label: "Main street", swatch: { kind: "line", line: "var(--st-main)" } },
    { key: "", label: "Street, lane", swatch: { kind: "line", line: "var(--st-minor)" } },
    { key: "", label: "Path, track", swatch: { kind: "line", line: "var(--st-path)" } },
    { key: "", label: "Left out", swatch: { kind: "line", line: "var(--st-fade)" } },
  ];
  if (area) rows.push({ key: "", label: "Study area", swatch: { kind: "dash", line: "var(--thread)" } });
  return [{ title: "What came in", rows, note: `${on} of ${incoming.extract?.classes.length ?? 0} classes are wanted.` }];
}

function StudyScreen({ study }: { study: string }) {
  const { stage, intake, set } = useScreen();
  const { data: overview, error } = useOverview(study);
  const { data: sheet } = useSheet(study);
  const [metresPerPixel, setMetresPerPixel] = useState(5);
  const { data: streets } = useQuery({
    queryKey: ["streets", study, overview?.stamp],
    queryFn: () => streetArrays(study),
    enabled: !!overview?.stamp,
    staleTime: Infinity,
    meta: { panel: "map", what: "The streets" },
  });
  const content = useMapContent(overview, streets ?? null);
  const looking = useLooks(study);
  useEffect(() => {
    if (overview) document.title = `Awl: ${overview.title}`;
  }, [overview]);
  const acts = useActs(overview);
  useEffect(() => {
    // A drawing has nothing but its numbers and lengths to read.
    if (overview?.drawn) set({ hidden: { ...useScreen.getState().hidden, numbers: false, "link-numbers": false } });
  }, [overview?.drawn, set]);
  if (error) {
    return (
      <main className="left">
        <p className="problem">{message(error)}</p>
        <a href="#/">All studies</a>
      </main>
    );
  }
  if (!overview) return null;
  const Page = PAGES[stage];
  const preview = stage === "sources" && intake && boundsOf(intake.incoming) ? intake : null;
  return (
    <div className="app">
      <Thread overview={overview} sheet={sheet} />
      <Palette study={study} acts={acts} />
      <main className="left" key={stage}>
        <Failures panel="page" />
        <FailedActs />
        <Page overview={overview} />
      </main>
      <div className="work">
        <div className="map-frame">
          {preview ? (
            <>
              <PreviewMap intake={preview} onScale={setMetresPerPixel} />
              <Ticks metresPerPixel={metresPerPixel} />
            </>
          ) : overview.bounds ? (
            <>
              <MapView overview={overview} streets={streets ?? null} content={content} onScale={setMetresPerPixel} />
              {!overview.drawn && <Ticks metresPerPixel={metresPerPixel} />}
            </>
          ) : (
            <div className="empty-map">The map appears with the first extract.</div>
          )}
          <MapFailures />
        </div>
        <Legend groups={preview ? previewLegend(preview) : content.groups} metresPerPixel={overview.drawn ? null : metresPerPixel} looking={preview ? null : looking}>
          <AnswerLook overview={overview} overlays={content.overlays} />
        </Legend>
        <Tray overview={overview} />
      </div>
    </div>
  );
}
