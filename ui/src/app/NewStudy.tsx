/** A file that is to begin a study, and the map of what is in it. */
import { lazy, Suspense, useEffect, useState } from "react";
import { boundsOf } from "../api/incoming";
import { Failures } from "../common/Failures";
import { IntakeForm } from "../intake/IntakeForm";
import { previewLegend } from "../intake/previewLegend";
import { Legend, Ticks } from "../legend/Legend";
import { go, useScreen, type Intake } from "../state/store";
import { MapFailures } from "./MapFailures";

const PreviewMap = lazy(() => import("../intake/PreviewMap"));

export default function NewStudy({ intake }: { intake: Intake }) {
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
              <Suspense fallback={null}>
                <PreviewMap intake={intake} onScale={setMetresPerPixel} />
              </Suspense>
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

/** Why there is no map of a file. */
function nothingDrawn({ incoming }: Intake): string {
  return incoming.extract ? "No street of this extract has its nodes in it, so there is nothing to draw." : "The map appears when it is known where the coordinates lie.";
}
