/** The form that a waiting file calls for: an extract, a ready graph, layers, a raster or a timetable. */
import type { JobInfo, LayerInfo } from "../../api/studies";
import { useScreen } from "../../state/screen";
import { ExtractForm } from "./ExtractForm";
import { GraphForm } from "./GraphForm";
import { LayersForm } from "./LayersForm";
import { TimetableForm } from "./TimetableForm";

type Props = { study: string | null; layers: LayerInfo[]; onDone: (job: JobInfo) => void };

export function ImportForm({ study, layers, onDone }: Props) {
  const { draft, closeDraft } = useScreen("draft", "closeDraft");
  if (!draft) return null;
  const done = (job: JobInfo) => {
    closeDraft();
    onDone(job);
  };
  const props = { upload: draft.upload, study, onDone: done, onClose: closeDraft };
  const { kind, token } = draft.upload;
  if (kind === "extract") return <ExtractForm key={token} {...props} layers={layers} />;
  if (kind === "graph") return <GraphForm key={token} {...props} />;
  if (kind === "timetable") return <TimetableForm key={token} {...props} />;
  return <LayersForm key={token} {...props} />;
}
