/** The modes of a study as documents: changed, copied, given away and taken in. */
import { fetchJson, sendJson } from "./client";

export type RuleUse = "forbid" | "allow" | "slow";
export type RuleDocument = { where: string; use: RuleUse; factor: number };
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
  notes: string[];
};
type Amount = { links: number; km: number };
export type ModeChange = { lost: Amount; won: Amount; speed: Amount };
const at = (study: string, more = "") => `/studies/${study}/modes${more}`;

export const putMode = (study: string, mode: ModeDocument) => sendJson<{ id: string; change: ModeChange | null }>(at(study, `/${mode.id}`), "PUT", mode);
export const copyMode = (study: string, mode: string, title: string) => sendJson<{ id: string }>(at(study, `/${mode}/copy`), "POST", { title });
export const takeInMode = (study: string, document: unknown) => sendJson<{ id: string }>(at(study), "POST", document);
export const removeMode = (study: string, mode: string) => sendJson<{ id: string }>(at(study, `/${mode}`), "DELETE");
export const undoMode = (study: string) => sendJson<{ id: string }>(at(study, "/undo"), "POST");
export const modeDocuments = (study: string) => fetchJson<{ modes: ModeDocument[] }>(at(study));
