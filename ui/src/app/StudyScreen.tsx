/** A study: the stepper above, a page at the left, the map with its legend, the results below. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";
import { boundsOf } from "../api/uploads";
import { streetArrays, type Overview } from "../api/studies";
import { FailedActs, Failures } from "../controls/Failures";
import { Palette } from "./Palette";
import { previewLegend } from "../features/sources/previewLegend";
import { CompareLook } from "../features/compare/CompareLook";
import { useSides } from "../features/compare/useSides";
import { AnswerLook } from "../features/legend/AnswerLook";
import { Legend, Ticks } from "../features/legend/Legend";
import { useLooks } from "../features/legend/RowLook";
import { useMapContent } from "../features/map/useMapContent";
import { useActs } from "./commands";
import { message } from "../api/client";
import { useShownWhatIfs } from "../state/editing";
import { useOverview, useSheet } from "../state/sheet";
import { useScreen, type Stage } from "../state/screen";
import { Stepper } from "./Stepper";
import { TimeRuler } from "../features/playing/TimeRuler";
import { ResultsPanel } from "../features/results/ResultsPanel";
import { FormView } from "../features/forms/FormView";
import { ReportView } from "../features/handout/ReportView";
import { PaperView } from "../features/handout/PaperView";
import { MapFailures } from "../controls/MapFailures";

type Page = (props: { overview: Overview }) => React.ReactNode;
const lazyPage = (load: () => Promise<{ default: Page }>) => lazy(load);
const PAGES: Record<Stage, ReturnType<typeof lazyPage>> = {
  sources: lazyPage(() => import("../features/sources/Sources").then(({ Sources }) => ({ default: Sources }))),
  streets: lazyPage(() => import("../features/streets/Streets").then(({ Streets }) => ({ default: Streets }))),
  modes: lazyPage(() => import("../features/modes/Modes").then(({ Modes }) => ({ default: Modes }))),
  sheet: lazyPage(() => import("../features/sheet/Sheet").then(({ Sheet }) => ({ default: Sheet }))),
  handout: lazyPage(() => import("../features/handout/Handout").then(({ Handout }) => ({ default: Handout }))),
};
const StudyMap = lazy(() => import("../features/map/StudyMap"));
const TwoMaps = lazy(() => import("../features/compare/TwoMaps"));
const PreviewMap = lazy(() => import("../features/sources/PreviewMap"));

export default function StudyScreen({ study }: { study: string }) {
  const { stage, draft, paper, leftOut, form, unhide } = useScreen("stage", "draft", "paper", "leftOut", "form", "unhide");
  const { data: overview, error } = useOverview(study);
  const { data: sheet } = useSheet(study);
  const [metresPerPixel, setMetresPerPixel] = useState(5);
  const shownWith = useShownWhatIfs(overview);
  const { data: streets } = useQuery({
    queryKey: ["streets", study, overview?.revision, shownWith.version],
    queryFn: () => streetArrays(study, shownWith.ids),
    placeholderData: keepPreviousData,
    enabled: !!overview?.revision,
    staleTime: Infinity,
    meta: { panel: "map", what: t`The streets` },
  });
  const content = useMapContent(overview, streets ?? null);
  const looking = useLooks(study);
  const two = useSides(study);
  useEffect(() => {
    if (overview) document.title = t`Awl: ${overview.title}`;
  }, [overview]);
  const acts = useActs(overview);
  useEffect(() => {
    // A drawing has nothing but its numbers and lengths to read.
    if (overview?.drawn) unhide("numbers", "link-numbers");
  }, [overview?.drawn, unhide]);
  if (error) {
    return (
      <main className="left">
        <p className="problem">{message(error)}</p>
        <a href="#/"><Trans>All studies</Trans></a>
      </main>
    );
  }
  if (!overview) return null;
  const Page = PAGES[stage];
  const reported = stage === "handout" ? leftOut : null;
  const laid = stage === "handout" ? paper : null;
  const formed = stage === "handout" && sheet?.forms.some(({ id }) => id === form) ? form : null;
  const page = !!(laid || reported || formed);
  const preview = stage === "sources" && draft && boundsOf(draft.upload) ? draft : null;
  return (
    <div className="app">
      <Stepper overview={overview} sheet={sheet} />
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
                <PreviewMap draft={preview} onScale={setMetresPerPixel} />
              </Suspense>
              <Ticks metresPerPixel={metresPerPixel} />
            </>
          ) : reported ? (
            <ReportView study={study} leftOut={reported} />
          ) : formed ? (
            <FormView study={study} form={formed} version={sheet?.changed ?? ""} />
          ) : laid ? (
            <PaperView study={study} version={`${overview.revision} ${sheet?.changed ?? ""}`} paper={laid} />
          ) : overview.bounds ? (
            <>
              <Suspense fallback={null}>
                {two ? (
                  <TwoMaps overview={overview} sides={two.sides} over={two.over} onScale={setMetresPerPixel} />
                ) : (
                  <StudyMap overview={overview} streets={streets ?? null} content={content} onScale={setMetresPerPixel} />
                )}
              </Suspense>
              {!overview.drawn && <Ticks metresPerPixel={metresPerPixel} />}
            </>
          ) : (
            <div className="empty-map"><Trans>The map appears with the first extract.</Trans></div>
          )}
          <MapFailures />
        </div>
        <Legend groups={page ? [] : preview ? previewLegend(preview) : (two?.groups ?? content.groups)} metresPerPixel={overview.drawn || page ? null : metresPerPixel} looking={preview || two ? null : looking} above={<CompareLook study={study} />}>
          <AnswerLook overview={overview} content={content} />
        </Legend>
        {stage === "sheet" && <TimeRuler study={study} />}
        <ResultsPanel overview={overview} />
      </div>
    </div>
  );
}
