/** A file that is to begin a study, and the map of what is in it. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { lazy, Suspense, useEffect, useState } from "react";
import { boundsOf } from "../../api/uploads";
import { Failures } from "../../controls/Failures";
import { ImportForm } from "../sources/ImportForm";
import { previewLegend } from "../sources/previewLegend";
import { Legend, Ticks } from "../legend/Legend";
import { go, screenNow, type ImportDraft } from "../../state/screen";
import { MapFailures } from "../../controls/MapFailures";

const PreviewMap = lazy(() => import("../sources/PreviewMap"));

export default function NewStudy({ draft }: { draft: ImportDraft }) {
  const [metresPerPixel, setMetresPerPixel] = useState(5);
  const drawable = boundsOf(draft.upload) !== null;
  useEffect(() => {
    document.title = t`Awl: a new study`;
  }, []);
  return (
    <div className="app begin">
      <header className="head">
        <div className="brand">
          <a href="#/" onClick={() => screenNow().closeDraft()}>
            <b><Trans>Awl</Trans></b>
            <span><Trans>A new study</Trans></span>
            <small><Trans>from {draft.upload.name}</Trans></small>
          </a>
        </div>
      </header>
      <main className="left">
        <Failures panel="page" />
        <ImportForm study={null} layers={[]} onDone={(job) => go(job.result?.study ?? null, "sources")} />
      </main>
      <div className="work">
        <div className="map-frame">
          {drawable ? (
            <>
              <Suspense fallback={null}>
                <PreviewMap draft={draft} onScale={setMetresPerPixel} />
              </Suspense>
              <Ticks metresPerPixel={metresPerPixel} />
            </>
          ) : (
            <div className="empty-map">{nothingDrawn(draft)}</div>
          )}
          <MapFailures />
        </div>
        {drawable ? <Legend groups={previewLegend(draft)} metresPerPixel={metresPerPixel} /> : <aside className="legend" />}
      </div>
    </div>
  );
}

/** Why there is no map of a file. */
function nothingDrawn({ upload }: ImportDraft): string {
  return upload.extract ? t`No street of this extract has its nodes in it, so there is nothing to draw.` : t`The map appears when it is known where the coordinates lie.`;
}
