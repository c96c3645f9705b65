/** A report that the server makes as a job: where it lies once it is there, and how far it is until then. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ProblemError, sendJson } from "../../api/client";
import { follow, type JobInfo } from "../../api/studies";
import { useSheet } from "../../state/sheet";
import { useScreenValue } from "../../state/screen";

export type Making = { message: string; share: number };

/** `leftOut` are blocks that are not on it; null while none is wanted. */
export function useReport(study: string, leftOut: string[] | null) {
  const queries = useQueryClient();
  const sheet = useScreenValue((screen) => screen.sheet);
  const { data: stored } = useSheet(study);
  const progress = ["report-progress", study];
  const report = useQuery({
    queryKey: ["report", study, sheet, leftOut, stored?.changed],
    enabled: leftOut !== null && stored !== undefined,
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
    meta: { panel: "own" },
    queryFn: async ({ signal }) => {
      queries.setQueryData<Making>(progress, { message: "", share: 0 });
      const job = await sendJson<JobInfo>(`/studies/${study}/reports`, "POST", { sheet, without: leftOut ?? [] });
      const ended = await follow(job.jobID, (now) => queries.setQueryData<Making>(progress, { message: now.message, share: now.progress / 100 }), signal);
      if (ended.status !== "successful") throw new ProblemError({ type: "", title: ended.message, status: 500, detail: ended.problem?.detail ?? ended.message });
      return `/studies/${study}/reports/${job.jobID}`;
    },
  });
  const { data: making } = useQuery<Making>({ queryKey: progress, enabled: false, queryFn: () => ({ message: "", share: 0 }), meta: { panel: "own" } });
  return { address: report.data ?? null, error: report.error, making: report.isFetching ? (making ?? null) : null };
}
