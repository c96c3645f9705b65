/** What questions take and how they are worded, in the types of the API document. */
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Slot = Schemas["Slot"];
export type Control = Slot["control"];
export type Offer = Schemas["Offer"];
export type LayerKind = NonNullable<Slot["layers"]>[number];
export type QuestionWords = Schemas["QuestionWords"];

type Execution<P> = P extends { post: { requestBody: { content: { "application/json": { inputs: infer I } } } } } ? I : never;
/** The inputs of each question by its id. */
export type InputsOf = { [P in keyof paths as P extends `/processes/${infer Q}/execution` ? Q : never]: Execution<paths[P]> };
/** Inputs that all questions share. */
type Shared = Partial<Pick<Schemas["RouteInputs"], "mode" | "at" | "snap">> & { closures?: PointSet | null };
/** The inputs of a question of any kind: those that all share, and its own by their names. */
export type Inputs = Shared & Record<string, unknown>;

export type ProcessInfo = {
  id: string;
  title: string;
  description: string;
  outputs?: Record<string, unknown>;
  inputs: Record<string, { schema: { default?: unknown; minimum?: number; exclusiveMinimum?: number; maximum?: number } }>;
  "x-awl": QuestionWords;
};

export type PointFeature = {
  type: "Feature";
  /** `factor`: of a closure, the share of the speed that is left; none where it closes the street. */
  properties: { name?: string; factor?: number };
  geometry: { type: "Point"; coordinates: [number, number] };
};
export type PointSet = { type: "FeatureCollection"; features: PointFeature[] };
export type LayerSet = Schemas["LayerSet"];
/** A kept answer that is compared; of another study where that is named. */
export type KeptOne = Schemas["KeptOne"];
export type AnswerSet = Schemas["AnswerSet"];
export type Differing = Schemas["Differing"];
/** What else holds in a second run; null stands for free flow, and for no street closed. */
export type Against = Omit<Schemas["Against"], "closures"> & { closures?: PointSet | null };

export const isLayerSet = (value: unknown): value is LayerSet => typeof value === "object" && value !== null && "layer" in value;
export const isAnswerSet = (value: unknown): value is AnswerSet => typeof value === "object" && value !== null && "answer" in value;
export const isPointSet = (value: unknown): value is PointSet => typeof value === "object" && value !== null && "features" in value;

export const NO_POINTS: PointSet = { type: "FeatureCollection", features: [] };

export function pointFeature(lon: number, lat: number, name?: string): PointFeature {
  const round = (value: number) => Math.round(value * 1e6) / 1e6;
  return { type: "Feature", properties: name ? { name } : {}, geometry: { type: "Point", coordinates: [round(lon), round(lat)] } };
}

/** The value of an input: what is given, or its default. */
export const valueOf = (inputs: Inputs, name: string, slot: Slot | undefined): unknown => (inputs[name] === undefined ? slot?.default : inputs[name]);

/** Whether an input is given: neither left out nor empty. */
export function isGiven(value: unknown): boolean {
  return value !== undefined && value !== null && !(Array.isArray(value) && value.length === 0);
}

/** So many answers are compared at least. */
const LEAST_COMPARED = 2;

/** Whether a question can be asked: no word still waits for points or answers. */
export function isComplete(inputs: Inputs, slots: Record<string, Slot> = {}): boolean {
  const answers = (slot: Slot | undefined, value: unknown) => slot?.control !== "answers" || (value as unknown[]).length >= LEAST_COMPARED;
  return Object.entries(inputs).every(([name, value]) => (isPointSet(value) ? value.features.length >= (slots[name]?.points?.least ?? 1) : answers(slots[name], value)));
}

/** Questions that inputs rest on, however deep: those whose answer feeds a word of theirs. */
export function restsOn(inputs: unknown): string[] {
  if (Array.isArray(inputs)) return inputs.flatMap(restsOn);
  if (typeof inputs !== "object" || inputs === null) return [];
  const here = Object.entries(inputs).flatMap(([key, value]) => ((key === "inside" || key === "answer") && typeof value === "string" ? [value] : []));
  return [...here, ...Object.values(inputs).flatMap(restsOn)];
}

/** A value inside inputs, by the names that lead to it. */
export const valueAt = (inputs: unknown, path: string[]): unknown =>
  path.reduce<unknown>((value, name) => (typeof value === "object" && value !== null ? (value as Record<string, unknown>)[name] : undefined), inputs);

/** Inputs with another value at the end of a path. */
export function withValueAt(inputs: Inputs, path: string[], value: unknown): Inputs {
  const [name, ...rest] = path;
  if (name === undefined) return inputs;
  const inner = rest.length ? withValueAt((inputs[name] ?? {}) as Inputs, rest, value) : value;
  return { ...inputs, [name]: inner };
}
