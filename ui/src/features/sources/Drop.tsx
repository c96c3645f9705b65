/** Dropping files: each is sent and looked into, and waits until it is decided what is to become of it. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useState, type DragEvent } from "react";
import { receive } from "../../api/uploads";
import { Working, type WorkState } from "../../controls/Progress";
import { message } from "../../api/client";
import { useScreen } from "../../state/screen";
import { together } from "./together";

type Props = { study: string | null; prompt: string; hint: string };

export function Drop({ study, prompt, hint }: Props) {
  const { queue, draft, enqueue, consider } = useScreen("queue", "draft", "enqueue", "consider");
  const [over, setOver] = useState(false);
  const [state, setState] = useState<WorkState | null>(null);
  const [problem, setProblem] = useState<string | null>(null);

  const next = queue[0];
  useEffect(() => {
    if (!next || draft) return;
    let current = true;
    const sending = (share: number) => {
      if (current) setState({ progress: share * 0.9, message: share < 1 ? t`Sending ${next.name}` : t`Looking into ${next.name}`, job: null });
    };
    receive(next, study, sending).then(
      consider,
      (error: unknown) => {
        setProblem(message(error));
        consider(null);
      },
    ).finally(() => setState(null));
    return () => {
      current = false;
    };
  }, [next, draft, study, consider]);

  const take = (files: FileList | null) => {
    setProblem(null);
    void together(Array.from(files ?? [])).then((whole) => enqueue(whole));
  };
  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    take(event.dataTransfer.files);
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
          <Trans>
            choose a file
            <input className="sr" type="file" multiple data-testid="file" onChange={(event) => take(event.target.files)} />
          </Trans>
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

export const STREET_FILES = t`Streets: OSM XML or PBF; lines in GeoPackage, FlatGeobuf, GeoJSON, CSV or Shapefile; GMNS tables, zipped`;
export const LAYER_FILES = t`Layers: the same formats, KML, GPX, XLSX, and GeoTIFF for elevation and population`;
