import type { SessionState } from "../../contract/session";
import { compactSession, wholeSession, type CompactSession } from "../../core/session/compact";

/*
 * How a session's state comes into its page: as JSON beside the HTML, asked for by the page's first line. In the HTML
 * itself, a big session would be read as text first, and nothing of the page could go on meanwhile.
 */

/** A page is made at once, or given up: its state is kept this long. */
const HANDED_MS = 10_000;
// Routes, components of the server and those of the page load this module each for itself.
const holder = globalThis as { stemzoPageStates?: Map<string, SessionState> };

/** On the server: keeps a state for the page that is about to be made, and returns its key for `handedState`. */
export function handToPage(state: SessionState): string {
  const handed = (holder.stemzoPageStates ??= new Map<string, SessionState>());
  const key = crypto.randomUUID();
  handed.set(key, state);
  setTimeout(() => handed.delete(key), HANDED_MS);
  return key;
}

/** On the server: what `handToPage` kept, so that page and state are of the same revision. */
export const handedState = (key: string): SessionState | null => holder.stemzoPageStates?.get(key) ?? null;

/** JSON of documents, which never change, for as long as they are kept. */
const texts = new WeakMap<object, string>();

/** A state as JSON, its document without what is plain. */
export function stateText({ document, ...rest }: SessionState): string {
  const text = texts.get(document) ?? JSON.stringify(compactSession(document));
  texts.set(document, text);
  return `{"document":${text},${JSON.stringify(rest).slice(1)}`;
}

/** A state as `stateText` tells it. */
type SentState = Omit<SessionState, "document"> & { readonly document: CompactSession };

interface Asked {
  readonly id: string;
  /** Null where the server does not have it any more. */
  readonly state: Promise<SentState | null>;
}
const asked = globalThis as { stemzoAsked?: Asked };

/** A script for the beginning of the page: it asks for the state while all else is still on its way. */
export function askingScript(id: string, key: string): string {
  const [named, address] = [id, `/s/${encodeURIComponent(id)}/state?key=${key}`].map((text) =>
    JSON.stringify(text).replaceAll("<", "\\u003c"),
  );
  return `stemzoAsked={id:${named},state:fetch(${address}).then(r=>r.ok?r.json():null).catch(()=>null)}`;
}

/** In the browser: the state that the page asked for; null where that was another session's, or was taken before. */
export function takeAsked(id: string): Promise<SessionState | null> | null {
  const { stemzoAsked: first } = asked;
  delete asked.stemzoAsked;
  if (first?.id !== id) return null;
  return first.state.then((sent) => sent && { ...sent, document: wholeSession(sent.document) });
}
