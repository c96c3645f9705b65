/** A job under way: how far it is, and the means to stop it. */
import { Trans } from "@lingui/react/macro";
import { LinearProgress } from "@mui/material";
import { useState } from "react";
import { follow, stopJob, type JobInfo } from "../api/studies";
import { figure } from "../common/format";

export type WorkState = { progress: number; message: string; job: string | null };

export function Working({ state }: { state: WorkState }) {
  return (
    <div className="running" role="status">
      <div>
        <span>{state.message}</span>
        <span>
          {figure(state.progress * 100)}%{" "}
          {state.job && (
            <button className="linkish" onClick={() => void stopJob(state.job ?? "")}>
              <Trans>Stop</Trans>
            </button>
          )}
        </span>
      </div>
      <LinearProgress variant="determinate" value={state.progress * 100} aria-label={state.message} />
    </div>
  );
}

/** The state of a job that is followed until it ends, and the function that follows one. */
export function useJob(): [WorkState | null, (job: JobInfo) => Promise<JobInfo>] {
  const [state, setState] = useState<WorkState | null>(null);
  const run = async (job: JobInfo) => {
    try {
      return await follow(job.jobID, (now) => setState({ progress: now.progress / 100, message: now.message, job: now.jobID }));
    } finally {
      setState(null);
    }
  };
  return [state, run];
}
