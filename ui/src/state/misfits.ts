/** What does not fit, with what it is about. */
import { t } from "@lingui/core/macro";
import type { Misfit } from "../api/studies";

export function misfitWords({ text, question, form, blank }: Misfit): string {
  if (question !== undefined) return t`Question ${question}: ${text}`;
  if (form !== undefined) return t`Form ${form}: ${text}`;
  return blank === undefined ? text : t`Blank ${blank}: ${text}`;
}
