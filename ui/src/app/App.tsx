/** The frame: which of the three screens is shown. Each is loaded when it is first needed. */
import { useIsFetching } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Home } from "../features/studies/Home";
import { followAddress, useScreenValue } from "../state/screen";

const StudyScreen = lazy(() => import("./StudyScreen"));
const NewStudy = lazy(() => import("../features/studies/NewStudy"));

export function App() {
  const study = useScreenValue((screen) => screen.study);
  useEffect(() => {
    followAddress();
    window.addEventListener("hashchange", followAddress);
    return () => window.removeEventListener("hashchange", followAddress);
  }, []);
  const draft = useScreenValue((screen) => screen.draft);
  const fetching = useIsFetching();
  useEffect(() => {
    // For tests and pictures: the page is at rest when nothing is on its way.
    document.documentElement.dataset.fetching = String(fetching);
  }, [fetching]);
  return <Suspense fallback={null}>{study ? <StudyScreen key={study} study={study} /> : draft ? <NewStudy draft={draft} /> : <Home />}</Suspense>;
}
