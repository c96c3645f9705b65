/** The frame: thread above, page at the left, map with its margin, tray below. */
import { useIsFetching, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { streetArrays } from "./api/own";
import { Legend, Ticks } from "./legend/Legend";
import { useMapContent } from "./map/content";
import { MapView } from "./map/MapView";
import { Handout } from "./stages/Handout";
import { Home } from "./stages/Home";
import { Modes } from "./stages/Modes";
import { Sheet } from "./stages/Sheet";
import { Sources } from "./stages/Sources";
import { Streets } from "./stages/Streets";
import { message, useOverview, useSheet } from "./state/sheet";
import { followAddress, useScreen } from "./state/store";
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
  return study ? <StudyScreen key={study} study={study} /> : <Home />;
}

function StudyScreen({ study }: { study: string }) {
  const { stage, set } = useScreen();
  const { data: overview, error } = useOverview(study);
  const { data: sheet } = useSheet(study);
  const [metresPerPixel, setMetresPerPixel] = useState(5);
  const { data: streets } = useQuery({
    queryKey: ["streets", study, overview?.stamp],
    queryFn: () => streetArrays(study),
    enabled: !!overview?.stamp,
    staleTime: Infinity,
  });
  const content = useMapContent(overview, streets ?? null);
  const fetching = useIsFetching();
  useEffect(() => {
    // For tests and pictures: the page is at rest when nothing is on its way.
    document.documentElement.dataset.fetching = String(fetching);
  }, [fetching]);
  useEffect(() => {
    if (overview) document.title = `Awl: ${overview.title}`;
  }, [overview]);
  useEffect(() => {
    const escape = (event: KeyboardEvent) => {
      if (event.key === "Escape") set({ editing: null, picking: null, street: null });
    };
    window.addEventListener("keydown", escape);
    return () => window.removeEventListener("keydown", escape);
  }, [set]);
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
  return (
    <div className="app">
      <Thread overview={overview} sheet={sheet} />
      <main className="left" key={stage}>
        <Page overview={overview} />
      </main>
      <div className="work">
        <div className="map-frame">
          {overview.bounds ? (
            <>
              <MapView overview={overview} streets={streets ?? null} content={content} onScale={setMetresPerPixel} />
              <Ticks metresPerPixel={metresPerPixel} />
            </>
          ) : (
            <div className="empty-map">The map appears with the first extract.</div>
          )}
        </div>
        <Legend groups={content.groups} metresPerPixel={metresPerPixel} />
        <Tray overview={overview} />
      </div>
    </div>
  );
}
