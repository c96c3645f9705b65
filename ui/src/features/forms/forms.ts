/** Changes to the blanks and forms of a sheet, as plain functions from one body to the next. */
import type { ProcessInfo, Slot } from "../../api/inputs";
import type { Blank, Form, SheetBody, Shown } from "../../api/studies";
import type { Answer, QuestionBlock } from "../../state/sheet";

/** Words that are too much for one input of a form. */
const NEVER = ["answers", "chain", "rules", "comparison"];
export const canBeBlank = (slot: Slot) => !NEVER.includes(slot.control);
/** Words that are numbers, whose bounds a form can narrow. */
export const isNumber = ({ control }: Slot) => control === "number" || control === "limit";
const LONGEST = 40;

/** A name for addresses and values: small letters, digits and lines below, not one of those taken. */
export function freeName(words: string, taken: string[], usual: string): string {
  const plain = words.toLowerCase().normalize("NFKD").replace(/[^a-z0-9]+/g, "_").replace(/^[_0-9]+|_+$/g, "").slice(0, LONGEST - 3) || usual;
  return Array.from({ length: taken.length + 1 }, (_, i) => (i ? `${plain}_${i + 1}` : plain)).find((name) => !taken.includes(name)) ?? plain;
}

const ALL: Omit<Shown, "question"> = { figures: true, map: true, tables: [], files: ["xlsx"], maps: ["pdf"] };

/** A new form of a sheet, which shows the figures and the map of every question. */
export function freshForm(title: string, questions: QuestionBlock[], taken: string[]): Form {
  return { id: freeName(title, taken, "form"), title, text: "", author: "", assumes: "", asks: [], shows: questions.map(({ id }) => ({ question: id, ...ALL })) };
}

type Forms = Pick<SheetBody, "blanks" | "forms">;

/** The blank that a word is, if it is one. */
export const blankOf = (blanks: Blank[], question: string, input: string) => blanks.find((blank) => blank.question === question && blank.input === input);

/** Ask for a word in a form, or no longer; a blank that no form asks for goes. */
export function withWordAsked({ blanks, forms }: Forms, form: Form, question: string, input: string, slot: Slot): Forms {
  const known = blankOf(blanks, question, input);
  if (known && form.asks.includes(known.name)) return withoutBlank({ blanks, forms }, form, known.name);
  const blank: Blank = known ?? { name: freeName(input, blanks.map(({ name }) => name), "blank"), question, input, label: slot.label, help: "", empty: slot.control === "place", several: false };
  return { blanks: known ? blanks : [...blanks, blank], forms: replaced(forms, { ...form, asks: [...form.asks, blank.name] }) };
}

/** Ask for a blank no longer. */
export function withoutBlank({ blanks, forms }: Forms, form: Form, name: string): Forms {
  const next = replaced(forms, { ...form, asks: form.asks.filter((one) => one !== name) });
  return { blanks: blanks.filter((blank) => blank.name !== name || next.some(({ asks }) => asks.includes(name))), forms: next };
}

export const withBlank = (blanks: Blank[], blank: Blank): Blank[] => blanks.map((one) => (one.name === blank.name ? blank : one));
export const replaced = (forms: Form[], form: Form): Form[] => forms.map((one) => (one.id === form.id ? form : one));

/** A form without the blanks that it alone asked for. */
export function withoutForm({ blanks, forms }: Forms, id: string): Forms {
  const rest = forms.filter((form) => form.id !== id);
  return { forms: rest, blanks: blanks.filter(({ name }) => rest.some(({ asks }) => asks.includes(name))) };
}

/** What a form shows of a question; null where it shows nothing of it. */
export const shownOf = (form: Form, question: string): Shown | null => form.shows.find((shown) => shown.question === question) ?? null;

/** A form that shows something else of a question: nothing with null. In the order of the sheet. */
export function withShown(form: Form, question: string, shown: Shown | null, order: string[]): Form {
  const rest = form.shows.filter((one) => one.question !== question);
  const shows = shown ? [...rest, shown] : rest;
  return { ...form, shows: shows.sort((a, b) => order.indexOf(a.question) - order.indexOf(b.question)) };
}

export const everythingOf = (question: string): Shown => ({ question, ...ALL });

/** A member of a list put in or taken out. */
export const toggled = <T,>(list: T[], one: T): T[] => (list.includes(one) ? list.filter((other) => other !== one) : [...list, one]);

const NO_TABLE = ["summary", "doubts"];

/** Parts of a question's answer that can be shown as tables: those it has, and those it can have. */
export function partsOf(process: ProcessInfo | undefined, answer: Answer | null | undefined): string[] {
  const had = Object.keys(answer?.result.schema ?? {});
  return had.length ? had : Object.keys(process?.outputs ?? {}).filter((name) => !NO_TABLE.includes(name));
}
