/** Acts on the ledger of the streets: each tells the screen at once what it changed. */
import { t } from "@lingui/core/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { applyEdits, ledgerOf, redoEdits, undoEdits, type EditFeature, type EditOutcome } from "../api/edits";
import { message } from "../api/client";
import type { Overview } from "../api/studies";
import { screenNow, useScreen } from "./screen";
import { useAnswer } from "./sheet";

export function useLedger({ id, revision, whatIfs }: Overview) {
  const { scope } = useScreen("scope");
  const version = whatIfs.find((one) => one.id === scope)?.version ?? revision;
  return useQuery({ queryKey: ["ledger", id, scope, version], queryFn: () => ledgerOf(id, scope), meta: { panel: "own" } });
}

export function useEditing({ id }: Overview) {
  const queries = useQueryClient();
  /** Let the screen follow an act: the new versions at once, all figures behind. */
  const landed = useCallback(
    (outcome: EditOutcome) => {
      const { scope } = screenNow();
      queries.setQueryData<Overview>(["overview", id], (now) =>
        now && {
          ...now,
          revision: outcome.revision,
          whatIfs: now.whatIfs.map((one) => (one.id === scope && outcome.version ? { ...one, version: outcome.version } : one)),
        },
      );
      void queries.invalidateQueries({ queryKey: ["overview", id] });
      void queries.invalidateQueries({ queryKey: ["answer", id] });
      void queries.invalidateQueries({ queryKey: ["what-ifs", id] });
    },
    [queries, id],
  );
  const act = useCallback(
    async <T extends EditOutcome>(doing: Promise<T>, told: (outcome: T) => string): Promise<T | null> => {
      try {
        const outcome = await doing;
        landed(outcome);
        screenNow().tell(told(outcome));
        return outcome;
      } catch (error) {
        screenNow().tell(message(error));
        return null;
      }
    },
    [landed],
  );
  return useMemo(
    () => ({
      act,
      landed,
      apply: (edits: EditFeature[], said: string, where: string | null = null) => act(applyEdits(id, screenNow().scope, edits, where), () => said),
      undo: () => act(undoEdits(id, screenNow().scope), () => t`Taken back.`),
      redo: () => act(redoEdits(id, screenNow().scope), () => t`Done again.`),
    }),
    [act, landed, id],
  );
}

/** The what-ifs that the map shows the streets with, and a version of them: those of the answer, or the one that is edited. */
export function useShownWhatIfs(overview: Overview | undefined): { ids: string[]; version: string } {
  const { stage, question, scope, peeking } = useScreen("stage", "question", "scope", "peeking");
  const { data: answer } = useAnswer(overview?.id ?? null, stage === "sheet" ? question : null);
  const inAnswer = answer?.inputs.what_if;
  const wanted = JSON.stringify(stage === "streets" ? (scope && !peeking ? [scope] : []) : stage === "sheet" && Array.isArray(inAnswer) ? inAnswer : []);
  return useMemo(() => {
    const known = overview?.whatIfs ?? [];
    // What is gone is shown as the study is.
    const ids = (JSON.parse(wanted) as string[]).filter((id) => known.some((one) => one.id === id));
    return { ids, version: ids.map((id) => known.find((one) => one.id === id)?.version ?? "").join() };
  }, [wanted, overview]);
}
