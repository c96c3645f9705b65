/** What is asked of a waiting file, until it is brought in: from then on the server may have it no more. */
import { t } from "@lingui/core/macro";
import { useQuery } from "@tanstack/react-query";
import { previewOf, type Reading } from "../../api/uploads";
import { useScreenValue, type ImportDraft } from "../../state/screen";

/** How a file is read, as far as it was said. */
export const readingOf = ({ crs, x, y }: ImportDraft): Reading => ({ ...(crs && { crs }), ...(x && { x }), ...(y && { y }) });

/** The key of everything, or of one thing, that is asked of a waiting file. */
export const uploadKey = (token: string, ...what: unknown[]) => ["upload", token, ...what];

/** Whether the file under consideration can still be asked: no job takes it in. */
export const useWaits = (): boolean => useScreenValue(({ draft }) => !draft?.importing);

/** The shapes of a waiting file. */
export function usePreview(draft: ImportDraft) {
  const reading = readingOf(draft);
  const { token } = draft.upload;
  const { data } = useQuery({
    queryKey: uploadKey(token, "preview", reading),
    queryFn: ({ signal }) => previewOf(token, reading, signal),
    enabled: useWaits(),
    // What a file holds never changes.
    staleTime: "static",
    gcTime: 0,
    meta: { panel: "map", what: t`The preview` },
  });
  return data;
}
