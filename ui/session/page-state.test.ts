import { afterEach, expect, test, vi } from "vitest";
import type { SessionState } from "../../contract/session";
import { makeSession, makeTrack } from "../../core/session/build";
import { askingScript, handToPage, handedState, stateText, takeAsked } from "./page-state";

const stateOf = (id: string, name: string): SessionState => ({
  id,
  revision: 3,
  document: makeSession({ name, tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix" })] }),
  undo: name,
  redo: null,
  load: null,
});
afterEach(() => {
  vi.unstubAllGlobals();
  takeAsked("");
});

/** Runs the page's script, as a browser does, with a server that answers like this. */
function ask(id: string, answer: () => Promise<Response>): readonly string[] {
  const addresses: string[] = [];
  vi.stubGlobal("fetch", (address: string) => {
    addresses.push(address);
    return answer();
  });
  const script = askingScript(id, "a key");
  expect(script).not.toContain("<");
  (0, eval)(script);
  return addresses;
}

test("the page's script asks for its state, which comes out as it was", async () => {
  const state = stateOf("a", '</script><script>alert(1)</script><!-- \u2028 \\u003c "quoted"');
  for (let turn = 0; turn < 2; turn++) {
    const addresses = ask("a", async () => new Response(stateText(state)));
    expect(addresses).toEqual(["/s/a/state?key=a key"]);
    expect(await takeAsked("a")).toEqual(state);
    // It is taken once.
    expect(takeAsked("a")).toBeNull();
  }
});

test("what was asked for another session is not taken for this one's", () => {
  ask("a", async () => new Response("{}"));
  expect(takeAsked("b")).toBeNull();
});

test("a state that cannot be had any more is none", async () => {
  for (const answer of [
    async () => new Response("", { status: 404 }),
    // Cut off on its way.
    async () => new Response('{"document":{'),
    () => Promise.reject(new TypeError("gone")),
  ]) {
    ask("a", answer);
    expect(await takeAsked("a")).toBeNull();
  }
});

test("no id can end the script", () => {
  expect(askingScript('</script>"', "k")).not.toContain("</");
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
