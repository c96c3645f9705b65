/** What the changeable words of a sentence read. */
import { t } from "@lingui/core/macro";
import { figure } from "../common/format";
import { momentWords } from "../common/moments";
import type { LayerInfo } from "../api/studies";
import { isAnswerSet, isLayerSet, isPointSet, type KeptOne, type Against, type Control, type Differing, type LayerSet, type Slot } from "../api/inputs";

/** What words are read with: layers, questions by id, the words of the question itself, what its limits count. */
export type Known = { layers: LayerInfo[]; questions?: Record<string, string>; kept?: Record<string, string>; slots?: Record<string, Slot>; measure?: string; whatIfs?: Record<string, string> };
type Read = (value: unknown, slot: Slot, known: Known) => string;

/** What a changeable word reads. */
export function slotWords(slot: Slot, value: unknown, known: Known): string {
  const shown = value === undefined ? slot.default : value;
  const empty = shown === null || shown === undefined || (Array.isArray(shown) && shown.length === 0);
  if (empty && slot.nothing) return slot.nothing;
  const text = READ[slot.control](shown, slot, known);
  return slot.text ? slot.text.replace("{}", text) : text;
}

export const list = (words: string[]) => (words.length < 2 ? words.join("") : t`${words.slice(0, -1).join(", ")} and ${words[words.length - 1] ?? ""}`);
const spaced = (field: unknown) => String(field).replaceAll("_", " ");
const many = (value: unknown): unknown[] => (Array.isArray(value) ? value : [value]);
const word = (value: unknown, { words }: Slot) => words?.[String(value)] ?? String(value);
const unit = ({ measure }: Known) => (measure === "distance" ? t`metres` : t`minutes`);
/** `quickest`, `shortest`, or `least` of a given cost. */
export const costWord = (cost: string, slot: Slot) => slot.words?.[cost] ?? t`least ${spaced(cost)}`;

const several: Read = (value, slot) =>
  slot.every && many(value).length === Object.keys(slot.words ?? {}).length ? slot.every : list(many(value).map((one) => word(one, slot)));

const READ: Record<Control, Read> = {
  mode: word,
  choice: word,
  several,
  measures: several,
  costs: (value, slot) => list(many(value).map((one) => costWord(String(one), slot))),
  moment: (value) => momentWords(String(value)),
  hours: (value) => hoursWords(value as number[]),
  place: (value, slot, known) => placeWords(value, slot, known),
  closures: (value, slot, known) => closureWords(value, slot, known),
  chain: (value, _, known) => chainWords(many(value ?? []), known),
  rules: (value, _, known) => differsWords(value as Differing[], known),
  comparison: (value, _, known) => againstWords(value as Against, known),
  field: spaced,
  fields: (value) => list(many(value).map(spaced)),
  number: (value) => figure(Number(value)),
  limit: (value, _, known) => `${figure(Number(value), Number.isInteger(value) ? 0 : 1)} ${unit(known)}`,
  limits: (value, _, known) => `${many(value).join(", ")} ${unit(known)}`,
  answers: (value, _, known) => answersWords(many(value ?? []) as KeptOne[], known),
  window: (value) => windowWords(String(value)),
  room: (value) => (typeof value === "string" ? t`as many as ${spaced(value)} says` : t`${figure(Number(value))} each`),
  shares: (value, _, known) => list(Object.entries(value as Record<string, number>).map(([mode, share]) => t`${share}% as a ${travellers(known)[mode] ?? spaced(mode)}`)),
  sweep: (value, slot) => list(Object.entries(value as Record<string, number[]>).map(([name, values]) => `${someNumbers(values)} ${slot.words?.[name] ?? spaced(name)}`)),
  names: (value) => list(many(value).map(String)),
  "what-ifs": (value, _, { whatIfs = {} }) => list(many(value).map((id) => whatIfs[String(id)] ?? spaced(id))),
};

function windowWords(value: string): string {
  const [begin, end] = value.split("/");
  return end === undefined ? t`at the times in ${spaced(value)}` : t`between ${begin ?? ""} and ${end}`;
}

/** All of a few numbers, the first and the last of many. */
function someNumbers(values: number[]): string {
  const told = values.map((value) => figure(value, Number.isInteger(value) ? 0 : 1));
  return told.length <= FEW_NUMBERS ? told.join(", ") : t`${told[0] ?? ""} to ${told[told.length - 1] ?? ""}`;
}
const FEW_NUMBERS = 5;

/** The numbers a text names: `0, 20, 40`, or `0 to 200 by 20`; null where it names none, one twice, or too many. */
export function numbersOf(text: string, most: number): number[] | null {
  const stretch = /^\s*(-?[\d.]+)\s+to\s+(-?[\d.]+)\s+by\s+([\d.]+)\s*$/.exec(text);
  if (stretch) {
    const [from, to, by] = stretch.slice(1).map(Number) as [number, number, number];
    const count = by > 0 ? Math.floor((to - from) / by + 1e-9) + 1 : 0;
    return count >= 1 && count <= most ? Array.from({ length: count }, (_, i) => Number((from + i * by).toFixed(6))) : null;
  }
  const numbers = text.split(/[,;\s]+/).filter(Boolean).map(Number);
  return numbers.length === 0 || numbers.length > most || numbers.some(Number.isNaN) || new Set(numbers).size < numbers.length ? null : numbers;
}

/** What closures do to the streets they name. */
function closureWord(closures: unknown): string {
  const slowed = isPointSet(closures) ? closures.features.map(({ properties }) => (properties.factor ?? 0) > 0) : [];
  return slowed.length > 0 && slowed.every(Boolean) ? t`slowed` : slowed.some(Boolean) ? t`closed or slowed` : t`closed`;
}

const closureWords = (closures: unknown, slot: Slot | undefined, known: Known) =>
  `${closures ? placeWords(closures, slot, known) : t`no street`} ${closureWord(closures)}`;

/** Hours of a day, those that follow each other as a stretch. */
export function hoursWords(hours: number[]): string {
  const sorted = [...new Set(hours)].sort((a, b) => a - b);
  const stretches: [number, number][] = [];
  for (const hour of sorted) {
    const last = stretches[stretches.length - 1];
    if (last && last[1] === hour - 1) last[1] = hour;
    else stretches.push([hour, hour]);
  }
  return list(stretches.flatMap(([first, last]) => (last - first > 1 ? [t`${first} to ${last}`] : last > first ? [String(first), String(last)] : [String(first)])));
}

/** The hours a text names, ascending: `7, 8, 17` and `6-9`; null where it names none, or too many. */
export function hoursOf(text: string, most: number): number[] | null {
  const parts = text.split(/[,;\s]+/).filter(Boolean);
  const hours = parts.flatMap((part) => {
    const [, first, last = first] = /^(\d{1,2})(?:-(\d{1,2}))?$/.exec(part) ?? [];
    const [a, b] = [Number(first), Number(last)];
    return first === undefined || !(a <= b && b <= 23) ? [NaN] : Array.from({ length: b - a + 1 }, (_, i) => a + i);
  });
  const known = [...new Set(hours)].sort((a, b) => a - b);
  return known.length === 0 || known.length > most || known.some(Number.isNaN) ? null : known;
}

/** Layers in a chain: what touches the strip, then what stands on that. */
function chainWords(value: unknown[], known: Known): string {
  const titles = value.map((one) => (isLayerSet(one) ? layerWords(one, known, false) : t`a drawn shape`));
  return titles.length ? titles.join(`, ${t`then on them`} `) : t`no layer`;
}

const travellers = ({ slots }: Known) => slots?.mode?.words ?? {};

/** What holds for some of the places instead. */
function differsWords(rules: Differing[], known: Known): string {
  const one = ({ where, mode, at, limits, add_minutes }: Differing) =>
    [
      mode ? t`by a ${travellers(known)[mode] ?? mode}` : "",
      limits ? t`within ${limits.join(", ")} minutes` : "",
      at ? t`on ${momentWords(at)}` : "",
      add_minutes ? t`${add_minutes} min longer` : "",
      t`where ${where}`,
    ]
      .filter(Boolean)
      .join(", ");
  return rules.map(one).join("; ");
}

/** `the same with Bell Bridge closed`, `a cyclist on Wednesday at 8:00`. */
function againstWords({ mode, at, closures, places, direction }: Against, known: Known): string {
  return [
    mode ? t`a ${travellers(known)[mode] ?? mode}` : t`the same`,
    at === undefined ? "" : at === null ? t`in free flow` : t`on ${momentWords(at)}`,
    closures === undefined ? "" : t`with ${closureWords(closures, known.slots?.closures, known)}`,
    places ? t`for ${placeWords(places, known.slots?.places, known)}` : "",
    direction ? (known.slots?.direction?.words?.[direction] ?? direction) : "",
  ]
    .filter(Boolean)
    .join(" ");
}

/** `answer 1 and answer 4`, or by their names. */
function answersWords(answers: KeptOne[], { questions = {}, kept = {} }: Known): string {
  const name = ({ answer, study }: KeptOne) => (study ? t`${answer} of ${study}` : (questions[answer] ?? (kept[answer] ? `'${kept[answer]}'` : t`an answer that is gone`)));
  return answers.length ? list(answers.map(name)) : t`no answers yet`;
}

function layerWords(value: LayerSet, { layers }: Known, counted = true): string {
  const layer = layers.find(({ id }) => id === value.layer);
  const title = layer?.title.toLowerCase() ?? value.layer;
  return value.where ? t`${title} where ${value.where}` : counted ? `${layer ? figure(layer.count) : ""} ${title}`.trim() : title;
}

function placeWords(value: unknown, slot: Slot | undefined, known: Known): string {
  const { questions = {} } = known;
  if (value === null || value === undefined) return t`somewhere`;
  if (typeof value === "string") return known.layers.some(({ id }) => id === value) ? layerWords({ layer: value }, known) : spaced(value);
  if (Array.isArray(value)) return value.length === 1 || !Array.isArray(value[0]) ? t`a point` : t`${value.length} points`;
  if (isLayerSet(value)) return value.inside ? t`${layerWords(value, known, false)} inside ${questions[value.inside] ?? t`an answer`}` : layerWords(value, known);
  if (isAnswerSet(value)) return t`${spaced(value.part ?? "results")} of ${questions[value.answer] ?? t`an answer`}`;
  if (isPointSet(value)) {
    const names = value.features.map((feature, i) => feature.properties.name ?? t`point ${i + 1}`);
    if (names.length === 0) return slot?.points?.empty ?? t`a point`;
    return names.length <= 3 ? list(names) : t`${names.length} points`;
  }
  return t`a drawn shape`;
}
