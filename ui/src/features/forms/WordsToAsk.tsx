/** The sentence of a question whose words can be asked for in a form: a word that is asked for is a blank. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Fragment } from "react";
import type { ProcessInfo, Slot } from "../../api/inputs";
import type { Blank, Form, Overview } from "../../api/studies";
import { wordedFor } from "../../controls/riding";
import { sentencePieces } from "../../controls/sentence";
import { measureOf } from "../../controls/SlotEditor";
import { slotWords } from "../../controls/words";
import type { QuestionBlock } from "../../state/sheet";
import { blankOf, canBeBlank } from "./forms";

type Props = { overview: Overview; block: QuestionBlock; process: ProcessInfo; form: Form; blanks: Blank[]; names: Record<string, string>; onAsk: (input: string, slot: Slot) => void };

export function WordsToAsk({ overview, block, process: plain, form, blanks, names, onAsk }: Props) {
  const process = wordedFor(plain, overview.modes, block.inputs);
  const slots = process["x-awl"].slots;
  const pieces = sentencePieces(process, block.inputs);
  const known = { layers: overview.layers, slots, questions: names, whatIfs: Object.fromEntries(overview.whatIfs.map(({ id, title }) => [id, title])), measure: measureOf(process, block.inputs) };
  const asked = (input: string) => form.asks.includes(blankOf(blanks, block.id, input)?.name ?? "");
  const word = (input: string, text: string) => {
    const slot = slots[input];
    if (!slot) return null;
    const on = asked(input);
    if (!canBeBlank(slot)) return <span className="fixed-word" title={t`${slot.label} cannot be asked for in a form`}>{text}</span>;
    return (
      <button className={`linkish word-to-ask ${slot.kind}`} aria-pressed={on} title={on ? t`Ask for ${slot.label} no longer` : t`Ask for ${slot.label}`} onClick={() => onAsk(input, slot)}>
        {text}
      </button>
    );
  };
  const inSentence = pieces.flatMap((piece) => ("slot" in piece ? [piece.slot] : []));
  const others = Object.entries(slots).filter(([input, slot]) => !inSentence.includes(input) && canBeBlank(slot));
  return (
    <>
      <p className="words-to-ask">
        {pieces.map((piece, i) => {
          if ("text" in piece) return <Fragment key={i}>{piece.text}</Fragment>;
          const slot = slots[piece.slot];
          return <Fragment key={i}>{slot && word(piece.slot, slotWords(slot, block.inputs[piece.slot], known))}</Fragment>;
        })}
      </p>
      {others.length > 0 && (
        <details className="other-words" open={others.some(([input]) => asked(input)) || undefined}>
          <summary><Trans>Other words</Trans></summary>
          {others.map(([input, slot]) => <Fragment key={input}>{word(input, slot.label)} </Fragment>)}
        </details>
      )}
    </>
  );
}
