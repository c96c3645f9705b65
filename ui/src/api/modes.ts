/** The modes of a study as documents: changed, copied, given away and taken in. */
import { fetchJson, sendJson } from "./client";

export type RuleUse = "forbid" | "ends" | "allow" | "slow";
export type RuleDocument = { where: string; use: RuleUse; factor: number };
export type DelaysDocument = Record<"signals_s" | "crossing_s" | "barrier_s" | "ferry_s" | "left_s" | "right_s" | "back_s" | "give_way_s" | "start_s" | "end_s", number>;
export type CurveDocument = { days: "weekday" | "saturday" | "sunday" | "every day"; classes: string[]; share: number[] };
export type CostDocument = { id: string; unit: string; along: string; against: string; missing: number | null };
export type TransitRules = { slack_s: number; routes: string; stops: string; on_wheels: boolean; with_bicycle: boolean; stop_m: number; first_by: string; first_min: number; park_at: string };
export type ModeDocument = {
  format: "awl-mode-1";
  id: string;
  title: string;
  traveller: string;
  speeds: Record<string, number>;
  top_speed: number;
  access: string[];
  obeys_oneway: boolean;
  contraflow: string;
  reads_maxspeed: boolean;
  turns: string[];
  barriers: string[];
  rules: RuleDocument[];
  delays: DelaysDocument;
  slope: { by: "none" | "hiking" | "power"; limit: number; power_w: number; mass_kg: number };
  vehicle: { height_m: number; width_m: number; weight_t: number };
  curves: CurveDocument[];
  costs: CostDocument[];
  measured: string;
  notes: string[];
  /** How it rides by public transport; null where it does not. */
  transit?: TransitRules | null;
};
type Amount = { links: number; km: number };
export type ModeChange = { lost: Amount; won: Amount; speed: Amount; delays: number };
const at = (study: string, more = "") => `/studies/${study}/modes${more}`;

/** Change a mode over the version that was changed last at `over`; refused (412) where there is a newer one. */
export const putMode = (study: string, mode: ModeDocument, over: string) =>
  sendJson<{ id: string; change: ModeChange | null; changed: string }>(at(study, `/${mode.id}`), "PUT", mode, { "If-Match": `"${over}"` });
export const copyMode = (study: string, mode: string, title: string) => sendJson<{ id: string }>(at(study, `/${mode}/copy`), "POST", { title });
export const takeInMode = (study: string, document: unknown) => sendJson<{ id: string }>(at(study), "POST", document);
export const removeMode = (study: string, mode: string) => sendJson<{ id: string }>(at(study, `/${mode}`), "DELETE");
export const undoMode = (study: string) => sendJson<{ id: string }>(at(study, "/undo"), "POST");
export const modeDocuments = (study: string) => fetchJson<{ modes: ModeDocument[] }>(at(study));
