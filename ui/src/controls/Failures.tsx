/** Requests that failed, told where their result would have been, each with a way to try it again. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient, type Query } from "@tanstack/react-query";
import { useEffect, useState, useSyncExternalStore } from "react";
import { ProblemError, message } from "../api/client";

/** Where the result of a request shows; "own" is a component that tells its failures itself. */
export type Panel = "page" | "map" | "own";

declare module "@tanstack/react-query" {
  interface Register {
    queryMeta: { panel: Panel; what?: string };
  }
}

const panelOf = (query: Query): Panel => query.meta?.panel ?? "page";

/** The failed requests that something on the screen is waiting for; those without a panel belong to the page. */
export function Failures({ panel }: { panel: "page" | "map" }) {
  const queries = useQueryClient();
  const cache = queries.getQueryCache();
  const failed = () => cache.getAll().filter((query) => query.state.status === "error" && query.isActive() && panelOf(query) === panel);
  // The text changes when and only when the list does.
  useSyncExternalStore(
    (changed) => cache.subscribe(changed),
    () => failed().map((query) => `${query.queryHash} ${query.state.errorUpdatedAt}`).join(),
  );
  return failed().map((query) => {
    const what = query.meta?.what;
    return (
      <p className="problem" role="alert" key={query.queryHash}>
        {what && t`${what} could not be loaded.`}{" "}
        {message(query.state.error)}{" "}
        <button className="linkish" onClick={() => void queries.refetchQueries({ queryKey: query.queryKey, exact: true })}>
          <Trans>Try again</Trans>
        </button>
      </p>
    );
  });
}

/** Acts that nobody waited for and that failed: without this they would end without a word. */
export function FailedActs() {
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    const failed = (event: PromiseRejectionEvent) => {
      if (!(event.reason instanceof ProblemError)) return;
      event.preventDefault();
      setProblem(message(event.reason));
    };
    window.addEventListener("unhandledrejection", failed);
    return () => window.removeEventListener("unhandledrejection", failed);
  }, []);
  if (!problem) return null;
  return (
    <p className="problem" role="alert">
      {problem}{" "}
      <button className="linkish" onClick={() => setProblem(null)}>
        <Trans>Dismiss</Trans>
      </button>
    </p>
  );
}
