/** The web API as the browser uses it. Types of the OGC part are generated from the server's OpenAPI document. */
import { t } from "@lingui/core/macro";
import type { components } from "./schema";

export type Results = components["schemas"]["Results"];
export type Doubt = components["schemas"]["Doubt"];
export type Figure = components["schemas"]["Figure"];
export type Column = components["schemas"]["Column"];
export type TableView = components["schemas"]["TableView"];
export type StatusInfo = components["schemas"]["StatusInfo"];
export type Problem = components["schemas"]["Problem"];

/** A fault said in the user's terms. */
export class ProblemError extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    super(problem.detail);
    this.problem = problem;
  }
}

/** Whether something was refused because it was changed elsewhere in the meantime. */
export const isChangedMeanwhile = (error: unknown): boolean => error instanceof ProblemError && error.problem.status === 412;

/** The response, waited for where it is still being made; throws the problem it carries. */
export async function checked(response: Response): Promise<Response> {
  if (response.status === 202) return awaited(response);
  if (response.ok) return response;
  let problem: Problem;
  try {
    problem = (await response.json()) as Problem;
  } catch {
    problem = { type: "", title: t`No answer`, status: response.status, detail: t`The server gave no usable answer.` };
  }
  throw new ProblemError(problem);
}

export async function fetchJson<T>(path: string, init?: RequestInit): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, init);
  } catch {
    throw new ProblemError({
      type: "offline",
      title: t`Awl's server does not answer`,
      status: 0,
      detail: t`Awl's server does not answer. Is it still running? Your last saved state is kept.`,
    });
  }
  return (await (await checked(response)).json()) as T;
}

const LOOK_EVERY_MS = 500;

/** What a response will hold: work that takes longer than the server lets a request wait goes on as a job, and is waited for here. */
async function awaited(response: Response): Promise<Response> {
  const job = response.headers.get("location");
  if (job === null) return response;
  for (;;) {
    const state = (await (await checked(await fetch(job))).json()) as StatusInfo;
    if (state.status !== "accepted" && state.status !== "running") return checked(await fetch(`${job}/results`));
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
  }
}

export function sendJson<T>(path: string, method: "POST" | "PUT" | "PATCH" | "DELETE", body: unknown = {}, headers = {}): Promise<T> {
  return fetchJson<T>(path, {
    method,
    headers: { "Content-Type": "application/json", ...headers },
    body: JSON.stringify(body),
  });
}

/** What went wrong, for the reader. */
export function message(error: unknown): string {
  return error instanceof Error ? error.message : t`Something failed`;
}
