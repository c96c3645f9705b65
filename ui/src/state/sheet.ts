/** The sheet of a study: saved at once on every change, questions run as jobs, answers kept by the server. */
import { t } from "@lingui/core/macro";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef } from "react";
import { fetchJson, isChangedMeanwhile, message, sendJson, type Results } from "../api/client";
import {
  askedAnswers,
  follow,
  getSheet,
  listSheets,
  keptCopies,
  overview,
  preparation,
  processes,
  putSheet,
  undoSheet,
  type Block,
  type JobInfo,
  type SheetBody,
  type SheetDoc,
} from "../api/studies";
import { isComplete, restsOn, type Inputs, type ProcessInfo } from "../api/inputs";
import { combined, syncOf } from "./sheetSync";
import { screenNow, useScreenValue } from "./screen";

export type QuestionBlock = Extract<Block, { kind: "question" }>;
export type Answer = {
  process: string;
  inputs: Inputs;
  made: string;
  seconds: number;
  result: Results;
  fresh: boolean;
};

export const useOverview = (study: string | null) =>
  useQuery({ queryKey: ["overview", study], queryFn: () => overview(study ?? ""), enabled: study !== null, meta: { panel: "own" } });
/** Asked again every second until all is prepared, and anew when streets or modes are others. */
export const usePreparation = (study: string, revision: string, modes: string) =>
  useQuery({
    queryKey: ["preparation", study, revision, modes],
    queryFn: () => preparation(study),
    enabled: revision !== "",
    refetchInterval: ({ state }) => (state.data?.done ? false : 1000),
  });
export const useProcesses = (study: string | null) =>
  useQuery({
    queryKey: ["processes", study],
    queryFn: () => processes(study ?? ""),
    enabled: study !== null,
    staleTime: Infinity,
  });
/** The sheet of the study that is open. */
export function useSheet(study: string | null) {
  const queries = useQueryClient();
  const open = useScreenValue((screen) => screen.sheet);
  return useQuery({
    queryKey: ["sheet", study, open],
    queryFn: async () => {
      const sheet = await getSheet(study ?? "", open);
      syncOf(queries, study ?? "", open).base = sheet;
      return sheet;
    },
    enabled: study !== null,
  });
}

/** All sheets of the study, by their titles. */
export const useSheets = (study: string) => useQuery({ queryKey: ["sheets", study], queryFn: () => listSheets(study), meta: { panel: "page", what: t`The sheets` } });

/** Null while a question has no answer. */
export const useAnswer = (study: string | null, question: string | null) =>
  useQuery({
    queryKey: ["answer", study, question],
    enabled: study !== null && question !== null,
    queryFn: () => fetchJson<Answer | null>(`/studies/${study}/answers/${encodeURIComponent(question ?? "")}`),
  });

/** Answers of the study that were kept as they stood. */
export const useKeptCopies = (study: string | null) =>
  useQuery({ queryKey: ["kept", study], queryFn: () => keptCopies(study ?? ""), enabled: study !== null, staleTime: Infinity, meta: { panel: "page", what: t`The kept answers` } });

/** Answers of all sheets of a study, and those kept as they stood; asked for anew each time they are looked at. */
export const useAskedAnswers = (study: string | null) =>
  useQuery({ queryKey: ["asked", study], queryFn: () => askedAnswers(study ?? ""), enabled: study !== null, meta: { panel: "page", what: t`The answers of other sheets` } });

/** What answers are called that are not of the open sheet: those kept, and those of other sheets. */
export function useOtherAnswers(study: string): Record<string, string> {
  const { data: copies } = useKeptCopies(study);
  const { data: known } = useAskedAnswers(study);
  return Object.fromEntries([...(known?.asked ?? []).map(({ id, title, sheet_title: sheet }) => [id, t`${title} of ${sheet}`]), ...(copies ?? []).map(({ id, title }) => [id, title])]) as Record<string, string>;
}

/** JSON with sorted keys: equal questions give equal text. */
export function canonical(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(canonical).join(",")}]`;
  if (value !== null && typeof value === "object") {
    const entries = Object.entries(value).filter(([, inner]) => inner !== undefined);
    entries.sort(([a], [b]) => (a < b ? -1 : 1));
    return `{${entries.map(([key, inner]) => `${JSON.stringify(key)}:${canonical(inner)}`).join(",")}}`;
  }
  return JSON.stringify(value);
}

const bodyOf = ({ title, blocks, blanks, forms }: SheetDoc): SheetBody => ({ title, blocks, blanks, forms });

export function isStale(block: QuestionBlock, answer: Answer | null | undefined): boolean {
  return !!answer && (!answer.fresh || canonical(answer.inputs) !== canonical(block.inputs));
}

export function useSheetActions(study: string) {
  const queries = useQueryClient();
  const open = useScreenValue((screen) => screen.sheet);

  /** A sheet that is being fetched is older than what stands here now: it must not take its place. */
  const put = useCallback(
    (sheet: SheetDoc) => {
      const queryKey = ["sheet", study, open];
      void queries.cancelQueries({ queryKey });
      queries.setQueryData(queryKey, sheet);
    },
    [queries, study, open],
  );

  /** Whether a question can be asked; its own words say how many points it needs. */
  const canBeAsked = useCallback(
    ({ process, inputs }: Pick<QuestionBlock, "process" | "inputs">) => {
      const known = queries.getQueryData<ProcessInfo[]>(["processes", study])?.find(({ id }) => id === process);
      return isComplete(inputs, known?.["x-awl"].slots);
    },
    [queries, study],
  );

  const save = useCallback(
    async (change: (sheet: SheetDoc) => Partial<SheetBody>) => {
      const former = queries.getQueryData<SheetDoc>(["sheet", study, open]);
      if (!former) return;
      const sync = syncOf(queries, study, open);
      sync.base ??= former;
      const next = { ...former, ...change(former) };
      sync.undone = [];
      screenNow().setRedoable(false);
      put(next);
      const mine = ++sync.edits;
      await sync.queue(async () => {
        const base = sync.base ?? former;
        try {
          sync.base = await putSheet(study, open, bodyOf(next), base.changed);
          if (mine === sync.edits) put(sync.base);
          if (next.title !== former.title || next.forms !== former.forms) void queries.invalidateQueries({ queryKey: ["sheets", study] });
        } catch (error) {
          if (isChangedMeanwhile(error)) {
            screenNow().setConflict(await getSheet(study, open).catch(() => null));
            return;
          }
          // What was changed since stands, and is saved next.
          if (mine === sync.edits) put(base);
          screenNow().tell(message(error));
        }
      });
    },
    [put, queries, study, open],
  );

  const again = useRef<((block: QuestionBlock, chain: string[]) => Promise<void>) | null>(null);
  const ask = useCallback(
    async (id: string, process: string, inputs: Inputs, chain: string[] = [id]) => {
      const { setRun } = screenNow();
      const { asked } = syncOf(queries, study, open);
      const words = canonical({ process, inputs });
      // In a chain, what an answer rests on is another one than a moment ago.
      if (chain.length === 1 && asked.has(id, words)) return;
      const signal = asked.begin(id, words);
      setRun(id, { job: null, progress: 0, message: t`Asking`, secondsLeft: null, error: null, stopped: false });
      try {
        const job = await sendJson<JobInfo>(
          `/studies/${study}/processes/${process}/execution`,
          "POST",
          // Kept with a question, an answer holds what its view shows; streets are drawn from arrays instead.
          { inputs, outputs: {}, question: id },
          { Prefer: "respond-async" },
        );
        const ended = await follow(
          job.jobID,
          (now) => setRun(id, { job: now.jobID, progress: now.progress / 100, message: now.message, secondsLeft: now.secondsLeft ?? null }),
          signal,
        );
        if (ended.status === "successful") {
          await queries.invalidateQueries({ queryKey: ["answer", study, id] });
          signal.throwIfAborted();
          setRun(id, null);
          // What rests on this answer is asked again, each question once in a chain.
          const blocks = queries.getQueryData<SheetDoc>(["sheet", study, open])?.blocks ?? [];
          for (const block of blocks) {
            if (block.kind === "question" && !chain.includes(block.id) && restsOn(block.inputs).includes(id)) void again.current?.(block, [...chain, id]);
          }
        } else if (ended.status === "dismissed") {
          setRun(id, { job: null, stopped: true, message: t`Stopped` });
        } else {
          setRun(id, { job: null, error: ended.problem?.detail ?? ended.message });
        }
      } catch (error) {
        // Asked anew meanwhile, it is the newer run that says how it goes.
        if (!signal.aborted) setRun(id, { job: null, error: message(error) });
      } finally {
        asked.end(id, signal);
      }
    },
    [queries, study, open],
  );

  useEffect(() => {
    again.current = (block, chain) => ask(block.id, block.process, block.inputs, chain);
  }, [ask]);

  const change = useCallback(
    async (block: QuestionBlock, inputs: Inputs) => {
      await save((sheet) => ({ blocks: sheet.blocks.map((b) => (b.id === block.id ? { ...block, inputs } : b)) }));
      if (canBeAsked({ ...block, inputs })) await ask(block.id, block.process, inputs);
    },
    [ask, canBeAsked, save],
  );

  /** Show a sheet that came back; questions that differ in it are asked again. */
  const restore = useCallback(
    (former: SheetDoc | undefined, sheet: SheetDoc) => {
      put(sheet);
      for (const block of sheet.blocks) {
        const before = former?.blocks.find((b) => b.id === block.id);
        if (block.kind === "question" && canonical(before) !== canonical(block) && canBeAsked(block)) {
          void ask(block.id, block.process, block.inputs);
        }
      }
    },
    [ask, canBeAsked, put],
  );

  /** Take up what somebody else has made of the sheet: together with what was made here, or in its place. */
  const settle = useCallback(
    async (how: "combine" | "theirs") => {
      const { conflict, setConflict } = screenNow();
      const here = queries.getQueryData<SheetDoc>(["sheet", study, open]);
      const sync = syncOf(queries, study, open);
      if (!conflict || !here) return;
      const whole = how === "combine" && sync.base ? combined(sync.base, here, conflict) : conflict;
      sync.base = conflict;
      setConflict(null);
      restore(here, { ...conflict, ...whole });
      if (how === "combine") await save(() => whole);
    },
    [queries, restore, save, study, open],
  );

  const undo = useCallback(async () => {
    const sync = syncOf(queries, study, open);
    sync.edits++;
    await sync.queue(async () => {
      try {
        const former = queries.getQueryData<SheetDoc>(["sheet", study, open]);
        const sheet = await undoSheet(study, open, (sync.base ?? former)?.changed ?? "");
        sync.base = sheet;
        if (former) sync.undone.push(former);
        screenNow().setRedoable(true);
        restore(former, sheet);
      } catch (error) {
        if (isChangedMeanwhile(error)) screenNow().setConflict(await getSheet(study, open).catch(() => null));
        else screenNow().tell(message(error));
      }
    });
  }, [queries, restore, study, open]);

  const redo = useCallback(async () => {
    const sync = syncOf(queries, study, open);
    const last = sync.undone.pop();
    screenNow().setRedoable(sync.undone.length > 0);
    if (!last) return;
    sync.edits++;
    await sync.queue(async () => {
      try {
        const former = queries.getQueryData<SheetDoc>(["sheet", study, open]);
        sync.base = await putSheet(study, open, bodyOf(last), (sync.base ?? former)?.changed ?? "");
        restore(former, sync.base);
      } catch (error) {
        screenNow().tell(message(error));
      }
    });
  }, [queries, restore, study, open]);

  return { save, ask, change, undo, redo, settle };
}
