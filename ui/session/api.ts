import type { AnswerAt, AnswerOf, OperationName, ParamsOf, SentTo } from "../../contract/operations";
import type { ServiceFault } from "../../contract/job";
import type { RequestOf } from "../../contract/job-kinds";
import type { SavedProfile } from "../../contract/profile";
import type { Recipe } from "../../contract/recipe";
import type { Slip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import type { Placing } from "../../core/session/import";
import type { NamedStep } from "../../core/session/sync";

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

/** Why a request failed, in a sentence or two. */
export const whyRefused = (error: unknown): string =>
  error instanceof Refused ? `${error.fault.what} ${error.fault.todo}` : "The server cannot be reached.";

const unreachable: ServiceFault = {
  what: "The server cannot be reached.",
  kept: "Everything you did here is kept and will be sent.",
  todo: "Check that Stemzo is still running.",
  problems: [],
};

/** The address of an operation, with its names in braces filled in. */
const filled = <N extends OperationName>(name: N, params: ParamsOf<N>): string =>
  name
    .slice(name.indexOf(" ") + 1)
    .replaceAll(/\{(\w+)\}/g, (_, key: string) => encodeURIComponent((params as Record<string, string>)[key] ?? ""));

async function fetched<N extends OperationName>(
  name: N,
  params: ParamsOf<N>,
  body: SentTo<N> | Blob,
  query: Readonly<Record<string, string>> = {},
): Promise<{ readonly status: number; readonly ok: boolean; readonly answer: unknown }> {
  const asked = new URLSearchParams(query).toString();
  const response = await fetch(filled(name, params) + (asked === "" ? "" : `?${asked}`), {
    method: name.slice(0, name.indexOf(" ")),
    ...(body instanceof Blob
      ? { body }
      : body === undefined
        ? {}
        : { body: JSON.stringify(body), headers: { "Content-Type": "application/json" } }),
  }).catch(() => {
    throw new Refused(unreachable, 0);
  });
  return { status: response.status, ok: response.ok, answer: await response.json().catch(() => ({})) };
}

/** Calls an operation of the HTTP interface. Throws `Refused`. */
async function call<N extends OperationName>(
  name: N,
  params: ParamsOf<N>,
  body: SentTo<N> | Blob,
  query?: Readonly<Record<string, string>>,
): Promise<AnswerOf<N>> {
  const { ok, status, answer } = await fetched(name, params, body, query);
  // What the server answers is held to its published schema by the tests.
  if (ok) return answer as AnswerOf<N>;
  const { fault } = answer as { fault?: ServiceFault };
  throw new Refused(fault ?? { ...unreachable, what: `The server answered ${status}.` }, status);
}

type Edits = "POST /api/sessions/{id}/edits";
export type Posted = AnswerAt<Edits, 200> | AnswerAt<Edits, 409>;

const NOTHING = undefined;

/** HTTP, RFC 4918, 11.5: what was sent cannot be stored. */
export const DISK_FULL = 507;

export const api = {
  sessions: () => call("GET /api/sessions", {}, NOTHING),
  running: () => call("GET /api/running", {}, NOTHING),
  createSession: (document: Session) => call("POST /api/sessions", {}, { document }),
  duplicateSession: (id: string) => call("POST /api/sessions/{id}/duplicate", { id }, NOTHING),
  deleteSession: (id: string) => call("POST /api/sessions/{id}/delete", { id }, NOTHING),
  restoreSession: (id: string) => call("POST /api/sessions/{id}/restore", { id }, NOTHING),
  session: (id: string) => call("GET /api/sessions/{id}", { id }, NOTHING),
  saveAudio: (id: string, how: Omit<SentTo<"POST /api/sessions/{id}/saved">, "kind">) =>
    call("POST /api/sessions/{id}/saved", { id }, how),
  /** Earlier than a revision; null: the newest. */
  history: (id: string, before: number | null) =>
    call("GET /api/sessions/{id}/history", { id }, NOTHING, before === null ? {} : { before: String(before) }),
  documentAt: (id: string, revision: number) =>
    call("GET /api/sessions/{id}/history/{revision}", { id, revision: String(revision) }, NOTHING),
  nameVersion: (id: string, revision: number, name: string) =>
    call("POST /api/sessions/{id}/history/versions", { id }, { revision, name }),
  returnTo: (id: string, revision: number) => call("POST /api/sessions/{id}/history/return", { id }, { revision }),
  compareVersions: (id: string, earlier: number, later: number) =>
    call("POST /api/sessions/{id}/history/compare", { id }, { earlier, later }),
  sketch: (id: string) => call("GET /api/sessions/{id}/sketch", { id }, NOTHING),
  /** Steps the server stored, or the ones it had before ours. */
  async postSteps(id: string, base: number, steps: readonly NamedStep[]): Promise<Posted> {
    const name: Edits = "POST /api/sessions/{id}/edits";
    // The page puts its own steps on top of others' itself: so it knows which of them do not apply any more.
    const { ok, status, answer } = await fetched(name, { id }, { base, steps, rebase: false });
    if (ok || status === 409) return answer as Posted;
    const { fault = unreachable } = answer as { fault?: ServiceFault };
    // A full disk is said; anything else that fails in there may pass by itself.
    throw new Refused(fault, status >= 500 && status !== DISK_FULL ? 0 : status);
  },
  travel: (id: string, direction: "undo" | "redo") =>
    call(direction === "undo" ? "POST /api/sessions/{id}/undo" : "POST /api/sessions/{id}/redo", { id }, NOTHING),
  freeze: (id: string, tracks: readonly string[]) => call("POST /api/sessions/{id}/freeze", { id }, { tracks }),
  upload: (file: File) => call("POST /api/uploads", {}, file),
  bringIn: (id: string, files: readonly { readonly upload: string; readonly name: string }[], place: Placing) =>
    call("POST /api/sessions/{id}/imports", { id }, { files, ...place }),
  supply: (id: string, files: RequestOf<"supply">["files"]) =>
    call("POST /api/sessions/{id}/missing", { id }, { files }),
  job: (id: string) => call("GET /api/jobs/{id}", { id }, NOTHING),
  look: (files: RequestOf<"look">["files"]) => call("POST /api/intakes", {}, { files }),
  judge: (request: Omit<RequestOf<"judge">, "kind">) => call("POST /api/intakes/check", {}, request),
  mend: (request: Omit<RequestOf<"mend">, "kind">) => call("POST /api/intakes/mend", {}, request),
  takeIn: (request: Omit<RequestOf<"take in">, "kind">) => call("POST /api/intakes/take-in", {}, request),
  print: (id: string, slip: Slip) => call("POST /api/sessions/{id}/prints", { id }, slip),
  refresh: (id: string, prints: readonly string[], withTail: boolean) =>
    call("POST /api/sessions/{id}/prints/refresh", { id }, { prints, withTail }),
  reopen: (id: string, print: string) => call("POST /api/sessions/{id}/prints/{print}/reopen", { id, print }, NOTHING),
  listen: (id: string, print: string) => call("POST /api/sessions/{id}/prints/{print}/listen", { id, print }, NOTHING),
  changes: (id: string, print: string) => call("GET /api/sessions/{id}/prints/{print}/changes", { id, print }, NOTHING),
  recipes: () => call("GET /api/recipes", {}, NOTHING),
  saveRecipe: (name: string, slip: Recipe["slip"]) => call("POST /api/recipes", {}, { name, slip }),
  renameRecipe: (id: string, name: string) => call("POST /api/recipes/{id}/rename", { id }, { name }),
  deleteRecipe: (id: string) => call("POST /api/recipes/{id}/delete", { id }, NOTHING),
  prints: (id: string) => call("GET /api/sessions/{id}/prints", { id }, NOTHING),
  measureLoad: (id: string) => call("POST /api/sessions/{id}/load", { id }, NOTHING),
  login: (password: string) => call("POST /api/login", {}, { password }),
  logout: () => call("POST /api/logout", {}, NOTHING),
  delivery: (secret: string) => call("GET /api/r/{secret}", { secret }, NOTHING),
  enterLink: (secret: string, passphrase: string) => call("POST /api/r/{secret}/enter", { secret }, { passphrase }),
  instruments: () => call("GET /api/instruments", {}, NOTHING),
  addInstruments: (files: RequestOf<"add instruments">["files"]) => call("POST /api/instruments", {}, { files }),
  deleteInstruments: (id: string) => call("POST /api/instruments/{id}/delete", { id }, NOTHING),
  putInstruments: (id: string, request: Omit<RequestOf<"put instrument">, "kind">) =>
    call("POST /api/sessions/{id}/instruments", { id }, request),
  profiles: () => call("GET /api/profiles", {}, NOTHING),
  saveProfile: (name: string, body: SavedProfile["body"]) => call("POST /api/profiles", {}, { name, body }),
  deleteProfile: (id: string) => call("POST /api/profiles/{id}/delete", { id }, NOTHING),
  links: (handoff: string) => call("GET /api/handoffs/{id}/links", { id: handoff }, NOTHING),
  makeLink: (handoff: string, link: SentTo<"POST /api/handoffs/{id}/links">) =>
    call("POST /api/handoffs/{id}/links", { id: handoff }, link),
  revokeLink: (id: string) => call("POST /api/links/{id}/revoke", { id }, NOTHING),
  bringBack: (handoff: string) => call("POST /api/handoffs/{id}/bring-back", { id: handoff }, NOTHING),
  differences: (handoff: string, earlier: string) =>
    call("POST /api/handoffs/{id}/differences", { id: handoff }, { earlier }),
  prove: (id: string) => call("POST /api/handoffs/{id}/prove", { id }, NOTHING),
  exportStems: (id: string, how: Omit<RequestOf<"export">, "kind">) =>
    call("POST /api/sessions/{id}/exports", { id }, how),
  cancel: (id: string) => call("POST /api/jobs/{id}/cancel", { id }, NOTHING),
  handoffs: (id: string) => call("GET /api/sessions/{id}/handoffs", { id }, NOTHING),
  handoff: (id: string) => call("GET /api/handoffs/{id}", { id }, NOTHING),
};

export const fileAddress = (handoff: string, name: string): string =>
  `/api/handoffs/${handoff}/files/${encodeURIComponent(name)}`;
export const savedAddress = (job: string): string => `/api/jobs/${job}/file`;
export const packageAddress = (handoff: string): string => `/api/handoffs/${handoff}/package`;
export const audioAddress = (hash: string): string => `/api/audio/${hash}`;
