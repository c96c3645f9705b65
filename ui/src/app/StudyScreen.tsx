/** A study: the thread above, a page at the left, the map with its margin, the tray below. */
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";
import { boundsOf } from "../api/incoming";
import { streetArrays, type Overview } from "../api/own";
import { FailedActs, Failures } from "../common/Failures";
import { Palette } from "../common/Palette";
import { previewLegend } from "../intake/previewLegend";
import { AnswerLook } from "../legend/AnswerLook";
import { Legend, Ticks } from "../legend/Legend";
import { useLooks } from "../legend/RowLook";
import { useMapContent } from "../map/content";
import { useActs } from "../state/keys";
import { message, useOverview, useSheet } from "../state/sheet";
import { useScreen, type Stage } from "../state/store";
import { Thread } from "../thread/Thread";
import { Tray } from "../tray/Tray";
import { MapFailures } from "./MapFailures";

type Page = (props: { overview: Overview }) => React.ReactNode;
const page = (load: () => Promise<{ default: Page }>) => lazy(load);
const PAGES: Record<Stage, ReturnType<typeof page>> = {
  sources: page(() => import("../stages/Sources").then(({ Sources }) => ({ default: Sources }))),
  streets: page(() => import("../stages/Streets").then(({ Streets }) => ({ default: Streets }))),
  modes: page(() => import("../stages/Modes").then(({ Modes }) => ({ default: Modes }))),
  sheet: page(() => import("../stages/Sheet").then(({ Sheet }) => ({ default: Sheet }))),
  handout: page(() => import("../stages/Handout").then(({ Handout }) => ({ default: Handout }))),
};
const MapView = lazy(() => import("../map/MapView"));
const PreviewMap = lazy(() => import("../intake/PreviewMap"));

export default function StudyScreen({ study }: { study: string }) {
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
        <Suspense fallback={null}>
          <Page overview={overview} />
        </Suspense>
      </main>
      <div className="work">
        <div className="map-frame">
          {preview ? (
            <>
              <Suspense fallback={null}>
                <PreviewMap intake={preview} onScale={setMetresPerPixel} />
              </Suspense>
              <Ticks metresPerPixel={metresPerPixel} />
            </>
          ) : overview.bounds ? (
            <>
              <Suspense fallback={null}>
                <MapView overview={overview} streets={streets ?? null} content={content} onScale={setMetresPerPixel} />
              </Suspense>
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
