/** Dropping a file: it is sent, a job takes it in, and progress is shown until it has landed or failed. Lines are asked about. */
import { useState, type DragEvent } from "react";
import { dismissIncoming, follow, receive, upload, type Incoming, type JobInfo } from "../api/own";
import { message } from "../state/sheet";
import { LineForm } from "./LineForm";
import { Working, type WorkState } from "./working";

type Props = { path: string; study: string | null; prompt: string; hint: string; onDone: (job: JobInfo) => void };

export function Drop({ path, study, prompt, hint, onDone }: Props) {
  const [over, setOver] = useState(false);
  const [state, setState] = useState<WorkState | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [lines, setLines] = useState<Incoming | null>(null);

  async function take(files: FileList | null) {
    for (const file of Array.from(files ?? [])) {
      setProblem(null);
      const sending = (share: number) => setState({ progress: share * 0.1, message: `Sending ${file.name}`, job: null });
      sending(0);
      try {
        if (MAY_HOLD_LINES.test(file.name)) {
          const incoming = await receive(file, sending);
          if (incoming.layers.some(({ geometry }) => geometry === "line")) {
            setLines(incoming);
            setState(null);
            continue;
          }
          void dismissIncoming(incoming.token);
        }
        const job = await upload(path, file, sending);
        const ended = await follow(job.jobID, (now) => setState({ progress: 0.1 + now.progress / 111, message: now.message, job: now.jobID }));
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
  if (lines) {
    const close = () => setLines(null);
    const done = (job: JobInfo) => {
      close();
      onDone(job);
    };
    return <LineForm incoming={lines} study={study} onDone={done} onClose={close} />;
  }
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
      {state && <Working state={state} />}
      {problem && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
    </>
  );
}

const MAY_HOLD_LINES = /\.(gpkg|fgb|zip|geojson|json)$/i;
export const EXTRACTS = "OSM XML or PBF: .osm, .osm.gz, .osm.bz2, .osm.pbf";
export const LINES = "lines as GeoPackage, FlatGeobuf, GeoJSON or zipped Shapefile";
