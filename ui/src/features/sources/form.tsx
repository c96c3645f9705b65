/** What every form about a waiting file has: a job that takes the file in, and an end with the two ways out. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { addLayers, addTrips, buildStreets, dismissUpload, type Upload, type LayerChoice, type StreetWords, type TripEnds } from "../../api/uploads";
import type { JobInfo } from "../../api/studies";
import { useJob, Working, type WorkState } from "../../controls/Progress";
import { message } from "../../api/client";
import { useScreen } from "../../state/screen";
import { uploadKey } from "./waiting";

export type FormProps = { upload: Upload; study: string | null; onDone: (job: JobInfo) => void; onClose: () => void };

/** Build streets or add layers, and say why it failed. */
export function useBuild(upload: Upload, onDone: (job: JobInfo) => void) {
  const [problem, setProblem] = useState<string | null>(null);
  const [state, run] = useJob();
  const client = useQueryClient();
  const { refineDraft } = useScreen("refineDraft");
  const follow = async (start: () => Promise<JobInfo>) => {
    setProblem(null);
    // Once the file is brought in the server has it no more: nothing is asked of it, and what was asked is not waited for.
    refineDraft({ importing: true });
    await client.cancelQueries({ queryKey: uploadKey(upload.token) });
    try {
      const ended = await run(await start());
      if (ended.status === "successful") {
        onDone(ended);
        return;
      }
      setProblem(ended.problem?.detail ?? t`${upload.name} was stopped. Nothing of it landed.`);
    } catch (error) {
      setProblem(message(error));
    }
    refineDraft({ importing: false });
  };
  return {
    state,
    problem,
    setProblem,
    build: (words: StreetWords) => follow(() => buildStreets(upload.token, words)),
    add: (study: string, layers: LayerChoice[]) => follow(() => addLayers(upload.token, study, layers)),
    addAsTrips: (study: string, ends: TripEnds) => follow(() => addTrips(upload.token, study, ends)),
  };
}

export function leave(upload: Upload, onClose: () => void): void {
  void dismissUpload(upload.token);
  onClose();
}

type End = { state: WorkState | null; problem: string | null; act: string; onAct: () => void; onLeave: () => void; disabled?: boolean };

export function FormEnd({ state, problem, act, onAct, onLeave, disabled = false }: End) {
  return (
    <>
      {state && <Working state={state} />}
      {problem && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
      <div className="row">
        <Button variant="contained" disabled={disabled || state !== null} onClick={onAct}>
          {act}
        </Button>
        <Button disabled={state !== null} onClick={onLeave}>
          <Trans>Cancel</Trans>
        </Button>
      </div>
    </>
  );
}
