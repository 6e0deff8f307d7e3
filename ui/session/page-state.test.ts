import { afterEach, expect, test, vi } from "vitest";
import type { SessionState } from "../../contract/session";
import { makeSession, makeTrack } from "../../core/session/build";
import { handToPage, handedState, pageText, stateInPage } from "./page-state";

const stateOf = (id: string, name: string): SessionState => ({
  id,
  revision: 3,
  document: makeSession({ name, tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix" })] }),
  undo: name,
  redo: null,
  load: null,
});
const put = (textContent: string | null) =>
  vi.stubGlobal("document", { getElementById: () => (textContent === null ? null : { textContent }) });
afterEach(() => vi.unstubAllGlobals());

test("a state comes out of the page as it was put in, and no name in it ends the element", () => {
  const state = stateOf("a", '</script><script>alert(1)</script><!-- \u2028 \\u003c "quoted"');
  for (let turn = 0; turn < 2; turn++) {
    const text = pageText(state);
    expect(text).not.toContain("<");
    put(text);
    expect(stateInPage("a")).toEqual(state);
  }
});

test("what came with another session's page, or was read before, is not taken for this one's", () => {
  put(pageText(stateOf("a", "A")));
  expect(stateInPage("b")).toBeNull();
  for (const text of ["", null]) {
    put(text);
    expect(stateInPage("a")).toBeNull();
  }
});

test("keeps the states of pages while they are made, and not for long", () => {
  vi.useFakeTimers();
  const states = Array.from({ length: 40 }, (_, i) => stateOf(`s${i}`, "A"));
  const keys = states.map(handToPage);
  expect(keys.map(handedState)).toEqual(states);
  vi.runAllTimers();
  expect(keys.map(handedState)).toEqual(keys.map(() => null));
  vi.useRealTimers();
});
