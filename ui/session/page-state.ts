import type { SessionState } from "../../contract/session";

/*
 * How a session's state comes into its page: as JSON in the HTML, behind what is seen. As a property of a component it
 * would be sent inside a script, escaped twice: a big session would take several times as long to send and to read.
 */

/** The element in the page that holds it. */
export const STATE_ELEMENT = "session-state";

/** A page is made at once, or given up: its state is kept this long. */
const HANDED_MS = 10_000;
// Components of the server and those of the page load this module each for itself.
const holder = globalThis as { stemzoPageStates?: Map<string, SessionState> };

/** On the server: keeps a state for the page that is about to be made, and returns its key for `handedState`. */
export function handToPage(state: SessionState): string {
  const handed = (holder.stemzoPageStates ??= new Map<string, SessionState>());
  const key = crypto.randomUUID();
  handed.set(key, state);
  setTimeout(() => handed.delete(key), HANDED_MS);
  return key;
}

/** On the server, while the page is made: what `handToPage` kept. */
export const handedState = (key: string): SessionState | null => holder.stemzoPageStates?.get(key) ?? null;

/** JSON of documents, which never change, for as long as they are kept. */
const texts = new WeakMap<object, string>();

/** A state as JSON that can stand in HTML. */
export function pageText({ document, ...rest }: SessionState): string {
  const text = texts.get(document) ?? inHtml(document);
  texts.set(document, text);
  return `{"document":${text},${inHtml(rest).slice(1)}`;
}

// Nothing in it can end the element that it stands in.
const inHtml = (value: object): string => JSON.stringify(value).replaceAll("<", "\\u003c");

/** In the browser: the state that came with the page; null where another session's did, or where it was read before. */
export function stateInPage(id: string): SessionState | null {
  const text = globalThis.document.getElementById(STATE_ELEMENT)?.textContent;
  if (text === undefined || text === null || text === "") return null;
  const state = JSON.parse(text) as SessionState;
  return state.id === id ? state : null;
}
