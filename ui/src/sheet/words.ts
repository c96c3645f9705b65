/** A question's sentence: its template in pieces, and its inputs in words. */
import { figure } from "../common/format";
import { momentWords } from "../modes/hours";
import type { Block, Inputs, LayerInfo, ProcessInfo, Slot } from "../api/own";

export type Piece = { text: string } | { slot: string };
export type PointFeature = {
  type: "Feature";
  /** `factor`: of a closure, the share of the speed that is left; none where it closes the street. */
  properties: { name?: string; factor?: number };
  geometry: { type: "Point"; coordinates: [number, number] };
};
export type PointSet = { type: "FeatureCollection"; features: PointFeature[] };
/** `inside`: a question; only what lies inside the areas of its answer. */
export type LayerSet = { layer: string; where?: string; inside?: string };
export type AnswerSet = { answer: string; part?: string; where?: string };
/** What words are read with, beside the layers: travellers by mode, questions by id, what the limits count. */
export type Known = { modes?: Record<string, string>; questions?: Record<string, string>; measure?: string };

export const isLayerSet = (value: unknown): value is LayerSet =>
  typeof value === "object" && value !== null && "layer" in value;
export const isAnswerSet = (value: unknown): value is AnswerSet =>
  typeof value === "object" && value !== null && "answer" in value;
export const isPointSet = (value: unknown): value is PointSet =>
  typeof value === "object" && value !== null && "features" in value;

/** The sentence of a question with the given inputs, in pieces of text and slots. */
export function sentencePieces(process: ProcessInfo, inputs: Inputs): Piece[] {
  const { sentences, slots } = process["x-awl"];
  const value = (name: string) => (name in inputs ? inputs[name] : (slots[name]?.default ?? null));
  const fits = sentences.find(({ when }) => Object.entries(when).every(([name, wanted]) => value(name) === wanted));
  let text = fits?.text ?? process.title;
  if ("at" in slots) text = text.replace(/\?$/, ", {at}?");
  if (Array.isArray(inputs.differs) && inputs.differs.length > 0) text = text.replace(/\?$/, ", but {differs}?");
  if (Array.isArray(inputs.measures) && inputs.measures.length > 0) text = text.replace(/\?$/, ", measuring {measures} too?");
  if (inputs.hours !== undefined) text = text.replace(/\?$/, ", and {hours}?");
  if (inputs.snap !== undefined && inputs.snap !== slots.snap?.default) text = text.replace(/\?$/, ", up to {snap} from a street?");
  if (inputs.closures) text = text.replace(/\?$/, `, with {closures} ${closureWord(inputs.closures)}?`);
  if (inputs.candidates) text = text.replace(/\?$/, ", adding the best {choose} of {candidates}?");
  if (inputs.against) text = text.replace(/\?$/, ", set against {against}?");
  return text
    .split(/(\{\w+\})/)
    .filter(Boolean)
    .map((part) => (part.startsWith("{") ? { slot: part.slice(1, -1) } : { text: part }));
}

/** What closures do to the streets they name. */
function closureWord(closures: unknown): string {
  const slowed = isPointSet(closures) ? closures.features.map(({ properties }) => (properties.factor ?? 0) > 0) : [];
  return slowed.length > 0 && slowed.every(Boolean) ? "slowed" : slowed.some(Boolean) ? "closed or slowed" : "closed";
}

const list = (words: string[]) =>
  words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} and ${words[words.length - 1]}`;

/** `quickest`, `shortest`, or `least` of a given cost. */
export const measureWord = (measure: string, slot: Slot) => slot.words?.[measure] ?? `least ${measure.replaceAll("_", " ")}`;

/** What a changeable word reads. */
export function slotWords(name: string, slot: Slot, value: unknown, layers: LayerInfo[], known: Known = {}): string {
  const shown = value === undefined ? slot.default : value;
  if (name === "measure") return list((Array.isArray(shown) ? shown : [shown]).map((one) => measureWord(String(one), slot)));
  if (name === "at") return shown ? `on ${momentWords(String(shown))}` : "in free flow";
  if (name === "indices") return (shown as string[]).length === Object.keys(slot.words ?? {}).length ? "every index" : list(shown as string[]);
  if (slot.kind === "mode") return slot.words?.[String(shown)] ?? String(shown);
  if (slot.words) return Array.isArray(shown) ? list(shown.map((v) => slot.words?.[String(v)] ?? String(v))) : (slot.words[String(shown)] ?? String(shown));
  if (slot.many) return chainWords((shown ?? []) as unknown[], layers);
  if (slot.kind === "place") return shown === null && slot.nothing ? slot.nothing : placeWords(name, shown, layers, known.questions ?? {});
  if (name === "against") return againstWords(shown as Against, layers, known);
  if (name === "fields") {
    const fields = (shown as string[] | null) ?? [];
    return fields.length ? list(fields.map((field) => field.replaceAll("_", " "))) : "all people";
  }
  if (name === "limits") return `${(shown as number[]).join(", ")} ${known.measure === "distance" ? "metres" : "minutes"}`;
  if (name === "radius") return `${String(shown)} ${known.measure === "time" ? "minutes" : "metres"}`;
  if (name === "weight") return shown ? `each counted by its ${String(shown).replaceAll("_", " ")}` : "all counted alike";
  if (name === "distance" || name === "width" || name === "snap") return `${String(shown)} m`;
  if (name === "hours") return (shown as number[]).length ? `at ${hoursWords(shown as number[])} o'clock` : "at no other hour";
  if (name === "most") return `at most ${figure(Number(shown))} trips`;
  if (name === "kind") return shown ? `by ${String(shown).replaceAll("_", " ")}` : "all as one";
  if (name === "measures") return list(((shown ?? []) as string[]).map((one) => MEASURES[one] ?? one)) || "nothing more";
  if (name === "differs") return differsWords((shown ?? []) as Differing[], known.modes ?? {});
  if (name === "limit") return shown === null || shown === undefined ? "without limit" : `within ${String(shown)} ${known.measure === "distance" ? "metres" : "minutes"}`;
  return String(shown);
}

/** Hours of a day, those that follow each other as a stretch. */
export function hoursWords(hours: number[]): string {
  const sorted = [...new Set(hours)].sort((a, b) => a - b);
  const stretches: [number, number][] = [];
  for (const hour of sorted) {
    const last = stretches[stretches.length - 1];
    if (last && last[1] === hour - 1) last[1] = hour;
    else stretches.push([hour, hour]);
  }
  return list(stretches.flatMap(([first, last]) => (last - first > 1 ? [`${first} to ${last}`] : last > first ? [String(first), String(last)] : [String(first)])));
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

/** Further measures of access, in words. */
export const MEASURES: Record<string, string> = { gravity: "potential", two_step: "supply per head", kth: "time to the k-th nearest" };

/** Layers in a chain: what touches the strip, then what stands on that. */
function chainWords(value: unknown[], layers: LayerInfo[]): string {
  const titles = value.map((one) => (isLayerSet(one) ? layerWords(one, layers, false) : "a drawn shape"));
  return titles.length ? titles.join(", then on them ") : "no layer";
}

export type Differing = { where: string; mode?: string; at?: string; limits?: number[]; add_minutes?: number };

/** What holds for some of the places instead. */
export function differsWords(rules: Differing[], modes: Record<string, string>): string {
  if (rules.length === 0) return "all places alike";
  const one = ({ where, mode, at, limits, add_minutes }: Differing) =>
    [
      mode ? `by a ${modes[mode] ?? mode}` : "",
      limits ? `within ${limits.join(", ")} minutes` : "",
      at ? `on ${momentWords(at)}` : "",
      add_minutes ? `${add_minutes} min longer` : "",
      `where ${where}`,
    ]
      .filter(Boolean)
      .join(", ");
  return rules.map(one).join("; ");
}

/** What else holds in a second run; null stands for free flow, and for no street closed. */
export type Against = { mode?: string; at?: string | null; closures?: PointSet | null; places?: unknown; direction?: "from" | "to" };

/** `the same with Bell Bridge closed`, `a cyclist on Wednesday at 8:00`. */
export function againstWords(against: Against, layers: LayerInfo[], known: Known): string {
  const { mode, at, closures, places, direction } = against;
  const closed = closures ? placeWords("closures", closures, layers, {}) : "no street";
  return [
    mode ? `a ${known.modes?.[mode] ?? mode}` : "the same",
    at === undefined ? "" : at === null ? "in free flow" : `on ${momentWords(at)}`,
    closures === undefined ? "" : `with ${closed} ${closures ? closureWord(closures) : "closed"}`,
    places ? `for ${placeWords("places", places, layers, known.questions ?? {})}` : "",
    direction ? (direction === "from" ? "being served from there" : "going there") : "",
  ]
    .filter(Boolean)
    .join(" ");
}

function layerWords(value: LayerSet, layers: LayerInfo[], counted = true): string {
  const layer = layers.find(({ id }) => id === value.layer);
  const title = layer?.title.toLowerCase() ?? value.layer;
  return value.where ? `${title} where ${value.where}` : counted ? `${layer ? figure(layer.count) : ""} ${title}`.trim() : title;
}

function placeWords(name: string, value: unknown, layers: LayerInfo[], questions: Record<string, string>): string {
  if (value === null || value === undefined) return name === "zones" ? "no zones" : "somewhere";
  if (isLayerSet(value)) return value.inside ? `${layerWords(value, layers, false)} inside ${questions[value.inside] ?? "an answer"}` : layerWords(value, layers);
  if (isAnswerSet(value)) return `${(value.part ?? "results").replaceAll("_", " ")} of ${questions[value.answer] ?? "an answer"}`;
  if (isPointSet(value)) {
    const names = value.features.map((feature, i) => feature.properties.name ?? `point ${i + 1}`);
    if (names.length === 0) return name === "waypoints" ? "two points" : name === "events" ? "an event" : "a point";
    return names.length <= 3 ? list(names) : `${names.length} points`;
  }
  return "a drawn shape";
}

/** Words that a sentence holds only once they are asked for. */
const OPTIONAL = ["lines", "expected", "differs", "measures", "against", "candidates", "choose", "snap", "hours"];

/** Inputs of a new question: layers where they fit, empty points where the analyst must choose. */
export function freshInputs(process: ProcessInfo, layers: LayerInfo[], mode: string, costs: string[] = [], drawn = false): Inputs {
  const places = layers.find(({ role }) => role === "places");
  const zones = layers.find(({ role }) => role === "zones");
  const nobody: PointSet = { type: "FeatureCollection", features: [] };
  const inputs: Inputs = { mode };
  for (const [name, slot] of Object.entries(process["x-awl"].slots)) {
    if (name === "mode" || name === "closures" || OPTIONAL.includes(name)) continue;
    if (slot.many) {
      const chain = ["parcels", "buildings"].flatMap((role) => layers.find((layer) => layer.role === role) ?? []);
      inputs[name] = (chain.length ? chain : layers.filter(({ geometry }) => geometry.includes("POLYGON")).slice(0, 1)).map(({ id }) => ({ layer: id }));
      continue;
    }
    if (name === "others") {
      const kinds = layers.filter(({ role, fields }) => role === "places" && "kind" in fields).sort((a, b) => b.count - a.count)[0];
      inputs[name] = kinds ? { layer: kinds.id } : places ? { layer: places.id } : nobody;
      inputs.kind = kinds ? "kind" : null;
      continue;
    }
    if (slot.kind !== "place") {
      if (slot.default !== null) inputs[name] = slot.default;
    } else if (name === "zones") {
      inputs[name] = zones ? { layer: zones.id } : null;
    } else if (name === "waypoints" || name === "events") {
      inputs[name] = nobody;
    } else if (name === "from") {
      inputs[name] = zones ? { layer: zones.id } : places ? { layer: places.id } : nobody;
    } else {
      inputs[name] = places ? { layer: places.id } : nobody;
    }
  }
  // Centrality is among many: the layer of most places, buildings aside, which may take long.
  const most = layers.filter(({ role }) => role === "places").sort((a, b) => b.count - a.count)[0];
  if (process.id === "centrality" && most) inputs.places = { layer: most.id };
  if (process.id === "route") inputs.measure = drawn ? [costs[0] ?? "distance"] : ["time", "distance"];
  return inputs;
}

export function pointFeature(lon: number, lat: number, name?: string): PointFeature {
  const round = (value: number) => Math.round(value * 1e6) / 1e6;
  return {
    type: "Feature",
    properties: name ? { name } : {},
    geometry: { type: "Point", coordinates: [round(lon), round(lat)] },
  };
}

/** A list with one of its members moved by some places. */
export function moved<T>(list: T[], row: number, by: number): T[] {
  const next = [...list];
  const [one] = next.splice(row, 1);
  if (one !== undefined) next.splice(Math.max(row + by, 0), 0, one);
  return next;
}

/** Questions that inputs rest on, however deep: those whose answer feeds a word of theirs. */
export function restsOn(inputs: unknown): string[] {
  if (Array.isArray(inputs)) return inputs.flatMap(restsOn);
  if (typeof inputs !== "object" || inputs === null) return [];
  const here = Object.entries(inputs).flatMap(([key, value]) => ((key === "inside" || key === "answer") && typeof value === "string" ? [value] : []));
  return [...here, ...Object.values(inputs).flatMap(restsOn)];
}

/** What each question is called in the words of another one. */
export function questionNames(blocks: Block[]): Record<string, string> {
  const questions = blocks.filter((block) => block.kind === "question");
  return Object.fromEntries(questions.map((block, i) => [block.id, block.title ? `'${block.title}'` : `answer ${i + 1}`]));
}
