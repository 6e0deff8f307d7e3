import type { Handoff, HandoffSummary } from "../../contract/handoff";
import type { Job, ServiceFault } from "../../contract/job";
import type { PrintRecord } from "../../contract/print";
import type { Recipe } from "../../contract/recipe";
import type { SessionState, SessionSummary } from "../../contract/session";
import type { Slip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import type { Placing } from "../../core/session/import";
import type { NamedStep, StoredStep } from "../../core/session/sync";

/** A request the server refused, or that never arrived, in the three sentences a person needs. */
export class Refused extends Error {
  override readonly name = "Refused";
  constructor(
    readonly fault: ServiceFault,
    readonly status: number,
  ) {
    super(fault.what);
  }
}

const unreachable: ServiceFault = {
  what: "The server cannot be reached.",
  kept: "Everything you did here is kept and will be sent.",
  todo: "Check that Stemzo is still running.",
  problems: [],
};

async function ask<T>(path: string, init?: RequestInit): Promise<T> {
  const response = await fetch(path, init).catch(() => {
    throw new Refused(unreachable, 0);
  });
  const body = (await response.json().catch(() => ({}))) as T & { fault?: ServiceFault };
  if (!response.ok)
    throw new Refused(
      body.fault ?? { ...unreachable, what: `The server answered ${response.status}.` },
      response.status,
    );
  return body;
}

const post = <T>(path: string, body?: unknown): Promise<T> =>
  ask(path, {
    method: "POST",
    ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { "Content-Type": "application/json" } }),
  });

export type Posted =
  { readonly revision: number } | { readonly revision: number; readonly missing: readonly StoredStep[] };

export const api = {
  sessions: () => ask<readonly SessionSummary[]>("/api/sessions"),
  createSession: (document: Session) => post<SessionState>("/api/sessions", { document }),
  duplicateSession: (id: string) => post<SessionState>(`/api/sessions/${id}/duplicate`),
  deleteSession: (id: string) => post<unknown>(`/api/sessions/${id}/delete`),
  restoreSession: (id: string) => post<unknown>(`/api/sessions/${id}/restore`),
  session: (id: string) => ask<SessionState>(`/api/sessions/${id}`),
  /** Steps the server stored, or the ones it had before ours. */
  async postSteps(id: string, base: number, steps: readonly NamedStep[]): Promise<Posted> {
    const response = await fetch(`/api/sessions/${id}/edits`, {
      method: "POST",
      body: JSON.stringify({ base, steps }),
      headers: { "Content-Type": "application/json" },
    }).catch(() => {
      throw new Refused(unreachable, 0);
    });
    const body = (await response.json().catch(() => ({}))) as Posted & { fault?: ServiceFault };
    if (response.ok || response.status === 409) return body;
    throw new Refused(body.fault ?? unreachable, response.status >= 500 ? 0 : response.status);
  },
  travel: (id: string, direction: "undo" | "redo") => post<{ label: string }>(`/api/sessions/${id}/${direction}`),
  freeze: (id: string, tracks: readonly string[]) => post<Job>(`/api/sessions/${id}/freeze`, { tracks }),
  upload: (file: File) => ask<{ readonly upload: string }>("/api/uploads", { method: "POST", body: file }),
  bringIn: (id: string, files: readonly { readonly upload: string; readonly name: string }[], place: Placing) =>
    post<Job>(`/api/sessions/${id}/imports`, { files, ...place }),
  print: (id: string, slip: Slip) => post<Job>(`/api/sessions/${id}/prints`, slip),
  refresh: (id: string, prints: readonly string[], withTail: boolean) =>
    post<Job>(`/api/sessions/${id}/prints/refresh`, { prints, withTail }),
  reopen: (id: string, print: string) =>
    post<{ readonly revision: number; readonly tracks: readonly string[] }>(
      `/api/sessions/${id}/prints/${print}/reopen`,
    ),
  listen: (id: string, print: string) => post<Job>(`/api/sessions/${id}/prints/${print}/listen`),
  changes: (id: string, print: string) => ask<readonly string[]>(`/api/sessions/${id}/prints/${print}/changes`),
  recipes: () => ask<readonly Recipe[]>("/api/recipes"),
  saveRecipe: (name: string, slip: Recipe["slip"]) => post<Recipe>("/api/recipes", { name, slip }),
  renameRecipe: (recipe: string, name: string) => post<Recipe>(`/api/recipes/${recipe}/rename`, { name }),
  deleteRecipe: (recipe: string) => post<Recipe>(`/api/recipes/${recipe}/delete`),
  prints: (id: string) => ask<readonly PrintRecord[]>(`/api/sessions/${id}/prints`),
  measureLoad: (id: string) => post<Job>(`/api/sessions/${id}/load`),
  prove: (handoff: string) => post<Job>(`/api/handoffs/${handoff}/prove`),
  exportStems: (id: string) => post<Job>(`/api/sessions/${id}/exports`),
  cancel: (job: string) => post<Job>(`/api/jobs/${job}/cancel`),
  handoffs: (id: string) => ask<readonly HandoffSummary[]>(`/api/sessions/${id}/handoffs`),
  handoff: (id: string) => ask<Handoff>(`/api/handoffs/${id}`),
};

export const packageAddress = (handoff: string): string => `/api/handoffs/${handoff}/package`;
export const audioAddress = (hash: string): string => `/api/audio/${hash}`;
