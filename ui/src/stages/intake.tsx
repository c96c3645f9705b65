/** Dropping a file: it is sent, a job takes it in, and progress is shown until it has landed or failed. */
import { LinearProgress } from "@mui/material";
import { useState, type DragEvent } from "react";
import { follow, stopJob, upload, type JobInfo } from "../api/own";
import { figure } from "../common/format";
import { message } from "../state/sheet";

type State = { name: string; progress: number; message: string; job: string | null } | null;

export function Drop({ path, prompt, hint, onDone }: { path: string; prompt: string; hint: string; onDone: (job: JobInfo) => void }) {
  const [over, setOver] = useState(false);
  const [state, setState] = useState<State>(null);
  const [problem, setProblem] = useState<string | null>(null);

  async function take(files: FileList | null) {
    for (const file of Array.from(files ?? [])) {
      setProblem(null);
      setState({ name: file.name, progress: 0, message: `Sending ${file.name}`, job: null });
      try {
        const job = await upload(path, file, (share) => setState((s) => s && { ...s, progress: share * 0.1 }));
        const ended = await follow(job.jobID, (now) =>
          setState({ name: file.name, progress: 0.1 + now.progress / 111, message: now.message, job: now.jobID }),
        );
        if (ended.status === "successful") onDone(ended);
        else if (ended.status === "failed") setProblem(ended.problem?.detail ?? ended.message);
        else setProblem(`${file.name} was stopped. Nothing of it landed.`);
      } catch (error) {
        setProblem(message(error));
      }
      setState(null);
    }
  }

  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void take(event.dataTransfer.files);
  };
  return (
    <>
      <div
        className={over ? "drop over" : "drop"}
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={onDrop}
      >
        {prompt}{" "}
        <label>
          choose a file
          <input className="sr" type="file" data-testid="file" onChange={(event) => void take(event.target.files)} />
        </label>
        .<small>{hint}</small>
      </div>
      {state && (
        <div className="running" role="status">
          <div>
            <span>{state.message}</span>
            <span>
              {figure(state.progress * 100)} %{" "}
              {state.job && (
                <button className="linkish" onClick={() => void stopJob(state.job ?? "")}>
                  Stop
                </button>
              )}
            </span>
          </div>
          <LinearProgress variant="determinate" value={state.progress * 100} aria-label={state.message} />
        </div>
      )}
      {problem && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
    </>
  );
}

export const EXTRACTS = "OSM XML or PBF: .osm, .osm.gz, .osm.bz2, .osm.pbf";
