/** A question's sentence: its template in pieces, what is offered below it, and what a new one begins with. */
import { t } from "@lingui/core/macro";
import type { LayerInfo } from "../api/studies";
import { isGiven, isPointSet, NO_POINTS, valueOf, type Inputs, type LayerKind, type Offer, type ProcessInfo, type Slot } from "../api/inputs";

export type Piece = { text: string } | { slot: string };

/** The sentence of a question with the given inputs, in pieces of text and slots. */
export function sentencePieces(process: ProcessInfo, inputs: Inputs): Piece[] {
  const { sentences, slots } = process["x-awl"];
  const fits = sentences.find(({ when }) => Object.entries(when).every(([name, wanted]) => (valueOf(inputs, name, slots[name]) ?? null) === wanted));
  const clauses = Object.entries(slots)
    .flatMap(([name, slot]) => (slot.clause && isSaid(slot, inputs[name]) ? [slot.clause] : []))
    .sort((a, b) => a.rank - b.rank)
    .map(({ text }) => `, ${text}`);
  return (fits?.text ?? process.title)
    .replace("{clauses}", clauses.join(""))
    .split(/(\{\w+\})/)
    .filter(Boolean)
    .map((part) => (part.startsWith("{") ? { slot: part.slice(1, -1) } : { text: part }));
}

const isSaid = ({ clause, default: usual }: Slot, value: unknown): boolean => !!clause?.always || (isGiven(value) && value !== usual);

/** Inputs that the sentence does not hold yet and that can be given now, in order. */
export function offersOf({ "x-awl": { slots } }: ProcessInfo, inputs: Inputs): [string, Offer][] {
  const given = (name: string) => isGiven(inputs[name]);
  return Object.entries(slots)
    .flatMap(([slot, { offer }]): [string, Offer][] => (offer ? [[slot, offer]] : []))
    .filter(([slot, { always, needs = [], unless = [] }]) => (always || !given(slot)) && needs.every(given) && !unless.some(given))
    .sort(([, a], [, b]) => (a.rank ?? 1) - (b.rank ?? 1));
}

const RESIDENTS = /resident|people|population/i;

/** Whether a layer is of a kind: of a role, or with such features. */
export function isOfKind({ role, geometry, fields }: LayerInfo, kind: LayerKind): boolean {
  if (kind === "residents") return role === "buildings" && Object.keys(fields).some((field) => RESIDENTS.test(field));
  if (kind === "lines") return geometry.includes("LINE") && role !== "base";
  if (kind === "polygons") return geometry.includes("POLYGON");
  return role === kind;
}

/** Layers that can stand for a word. */
export const layersFor = (slot: Slot, layers: LayerInfo[]): LayerInfo[] => layers.filter((layer) => (slot.layers ?? []).some((kind) => isOfKind(layer, kind)));

/** The layer a new question takes for a word: of the best kind there is, the first or the one with most features. */
function freshLayer({ layers: kinds, fresh }: Slot, layers: LayerInfo[]): LayerInfo | undefined {
  const bySize = fresh?.layer === "largest" ? [...layers].sort((a, b) => b.count - a.count) : layers;
  const of = (some: LayerInfo[]) => (kinds ?? []).filter((kind) => !AFTERWARDS.includes(kind)).flatMap((kind) => some.filter((layer) => isOfKind(layer, kind)))[0];
  const field = fresh?.with_field;
  return (field ? of(bySize.filter(({ fields }) => field in fields)) : undefined) ?? of(field ? layers : bySize);
}

/** Kinds of layers that one chooses, and no new question begins with: they may be large. */
const AFTERWARDS: LayerKind[] = ["buildings", "residents", "lines", "polygons"];

/** Layers of a chain: one of each kind; polygons where there are none. */
function freshChain({ layers: kinds = [] }: Slot, layers: LayerInfo[]): { layer: string }[] {
  const found = (kinds ?? []).flatMap((kind) => (kind === "polygons" ? [] : (layers.find((layer) => isOfKind(layer, kind)) ?? [])));
  return (found.length ? found : layers.filter((layer) => isOfKind(layer, "polygons")).slice(0, 1)).map(({ id }) => ({ layer: id }));
}

/** Inputs of a new question: layers where they fit, empty points where the analyst must choose. */
export function freshInputs(process: ProcessInfo, layers: LayerInfo[], mode: string, costs: string[] = [], drawn = false): Inputs {
  const { slots } = process["x-awl"];
  const inputs: Inputs = slots.mode ? { mode } : {};
  for (const [name, slot] of Object.entries(slots)) {
    if (slot.control === "mode" || slot.clause || slot.offer || slot.optional) continue;
    if (slot.control === "answers") inputs[name] = [];
    else if (slot.control === "chain") inputs[name] = freshChain(slot, layers);
    else if (slot.control === "place") {
      const layer = slot.fresh?.layer === "none" ? undefined : freshLayer(slot, layers);
      inputs[name] = layer ? { layer: layer.id } : slot.points ? NO_POINTS : null;
    } else if (slot.fresh?.value !== undefined && slot.fresh.value !== null) inputs[name] = drawn && slot.control === "costs" ? [costs[0] ?? "distance"] : slot.fresh.value;
    else if (slot.default !== null && slot.default !== undefined) inputs[name] = slot.default;
  }
  for (const [name, { of, fresh }] of Object.entries(slots)) {
    const layer = layers.find(({ id }) => id === (inputs[of ?? ""] as { layer?: string } | null | undefined)?.layer);
    if (fresh?.field) inputs[name] = layer && fresh.field in layer.fields ? fresh.field : null;
  }
  return inputs;
}

/** Inputs once a word has changed the sentence: its places are there, a layer or points to be set; empty points it no longer holds are gone. */
export function fitted(process: ProcessInfo, inputs: Inputs, layers: LayerInfo[]): Inputs {
  const { slots } = process["x-awl"];
  const said = new Set(sentencePieces(process, inputs).flatMap((piece) => ("slot" in piece ? [piece.slot] : [])));
  const fits = { ...inputs };
  for (const [name, slot] of Object.entries(slots)) {
    if (slot.control !== "place" || slot.clause || slot.offer) continue;
    const value = fits[name];
    if (!said.has(name) && isPointSet(value) && value.features.length === 0) delete fits[name];
    if (said.has(name) && !isGiven(value) && !slot.nothing) {
      const layer = freshLayer(slot, layers) ?? layersFor(slot, layers)[0];
      fits[name] = layer ? { layer: layer.id } : slot.points ? NO_POINTS : null;
    }
  }
  return fits;
}

/** What the next click on the map does for a word, after so many points. */
export function hintOf({ points }: Slot, count: number): string {
  const hints = points?.hints ?? [];
  return hints[Math.min(count, hints.length - 1)] ?? t`set the point`;
}
