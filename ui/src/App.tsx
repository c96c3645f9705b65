/** The frame: which of the three screens is shown. Each is loaded when it is first needed. */
import { useIsFetching } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Home } from "./stages/Home";
import { followAddress, useScreen } from "./state/store";

const StudyScreen = lazy(() => import("./app/StudyScreen"));
const NewStudy = lazy(() => import("./app/NewStudy"));

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
  return <Suspense fallback={null}>{study ? <StudyScreen key={study} study={study} /> : intake ? <NewStudy intake={intake} /> : <Home />}</Suspense>;
}
