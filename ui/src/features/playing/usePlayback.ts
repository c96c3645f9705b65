/** What is played of the selected answer, fetched once for each answer. */
import { t } from "@lingui/core/macro";
import { useQuery } from "@tanstack/react-query";
import { playbackOf, type Playback } from "../../api/playback";
import type { components } from "../../api/schema";
import { useScreen } from "../../state/screen";
import { useAnswer } from "../../state/sheet";

export type Moving = components["schemas"]["Moving"];

/** What moves in the selected answer, and its playback once that is here. */
export function usePlayback(study: string): { moving: Moving | null; playback: Playback | null } {
  const { stage, question } = useScreen("stage", "question");
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const moving = answer?.fresh ? (answer.result.view.map?.moving ?? null) : null;
  const { data } = useQuery({
    queryKey: ["playback", study, question, answer?.made],
    queryFn: () => playbackOf(study, question ?? ""),
    enabled: moving !== null && question !== null,
    staleTime: Infinity,
    gcTime: 60_000,
    meta: { panel: "map", what: t`What is played of the answer` },
  });
  return { moving, playback: (moving && data) ?? null };
}
