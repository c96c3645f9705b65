/** The editor of the answers that are compared: questions of one kind, and answers kept as they stood. The first is what others are set against. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Checkbox, FormControlLabel } from "@mui/material";
import type { KeptOne } from "../api/inputs";
import { comparable } from "../state/comparable";
import { questionNames } from "../state/blocks";
import { useKeptCopies, useProcesses, useSheet } from "../state/sheet";
import type { ControlProps } from "./control";

export function AnswersEditor({ block, overview, value, put }: ControlProps) {
  const { data: sheet } = useSheet(overview.id);
  const { data: copies } = useKeptCopies(overview.id);
  const { data: processes } = useProcesses(overview.id);
  const chosen = (value ?? []) as KeptOne[];
  const blocks = sheet?.blocks ?? [];
  const first = chosen.find(({ study }) => !study)?.answer;
  const kind = blocks.find(({ id }) => id === first) ?? copies?.find(({ id }) => id === first);
  const offered = comparable(blocks, copies ?? [], kind && "process" in kind ? kind.process : null).filter(({ id }) => id !== block.id);
  const names = questionNames(blocks);
  const place = (id: string) => chosen.findIndex(({ answer, study }) => answer === id && !study) + 1;
  const toggle = (id: string) => put(place(id) ? chosen.filter(({ answer, study }) => answer !== id || study) : [...chosen, { answer: id }]);
  const title = (process: string) => processes?.find(({ id }) => id === process)?.title ?? process;
  if (offered.length === 0) return <p className="faint"><Trans>There is nothing to compare yet. Ask a question twice, with one word changed.</Trans></p>;
  return (
    <>
      {offered.map(({ id, title: own, process }) => {
        const words = `${own ?? (names[id] ?? id)}, ${title(process).toLowerCase()}`;
        return (
          <FormControlLabel
            key={id}
            label={place(id) === 1 && chosen.length > 1 ? t`${words}: the others are set against it` : words}
            control={<Checkbox size="small" checked={place(id) > 0} disabled={place(id) === 0 && chosen.length >= MOST_COMPARED} onChange={() => toggle(id)} />}
          />
        );
      })}
    </>
  );
}

/** So many answers are compared at most. */
const MOST_COMPARED = 5;
