/** The form that a waiting file calls for: an extract, a ready graph, layers or a raster. */
import { useCallback } from "react";
import type { JobInfo, LayerInfo } from "../api/own";
import { useScreen } from "../state/store";
import { ExtractForm } from "./ExtractForm";
import { GraphForm } from "./GraphForm";
import { LayersForm } from "./LayersForm";

type Props = { study: string | null; layers: LayerInfo[]; onDone: (job: JobInfo) => void };

export function IntakeForm({ study, layers, onDone }: Props) {
  const { intake, set } = useScreen();
  const close = useCallback(() => set({ intake: null, drawing: null }), [set]);
  if (!intake) return null;
  const done = (job: JobInfo) => {
    close();
    onDone(job);
  };
  const props = { incoming: intake.incoming, study, onDone: done, onClose: close };
  const { kind, token } = intake.incoming;
  if (kind === "extract") return <ExtractForm key={token} {...props} layers={layers} />;
  if (kind === "graph") return <GraphForm key={token} {...props} />;
  return <LayersForm key={token} {...props} />;
}
