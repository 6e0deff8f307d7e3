import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import type { Job, ServiceFault } from "../../contract/job";
import type { Traveled } from "../../contract/session";
import { makeSession, makeTrack } from "../../core/session/build";
import type { NamedStep, StoredStep } from "../../core/session/sync";
import { createSessionStore } from "./store";

const session = makeSession({
  tracks: [
    ...["a", "b"].map((id) => makeTrack({ id, name: id.toUpperCase(), kind: "audio" })),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const mute = (id: string) => [{ do: "set" as const, in: "tracks" as const, id, patch: { mute: true } }];

/** A stand-in for the browser's event source that the test speaks through. */
class Line extends EventTarget {
  static readonly CLOSED = 2;
  static last: Line;
  readyState = 1;
  constructor(readonly address: string) {
    super();
    Line.last = this;
  }
  say(event: string, data: unknown): void {
    this.dispatchEvent(new MessageEvent(event, { data: JSON.stringify(data) }));
  }
  close(): void {
    this.readyState = Line.CLOSED;
  }
}

type Reply = (posted: { base: number; steps: NamedStep[] }) => { status: number; body: unknown } | "no answer";
let replies: Reply[];
/** What undo and redo answer, in turn, and which was asked for. */
let traveled: Traveled[];
let travels: string[];
let posts: { base: number; steps: NamedStep[] }[];
let faults: ServiceFault[];
let news: string[];
beforeEach(() => {
  [replies, posts, faults, news] = [[], [], [], []];
  [traveled, travels] = [[], []];
  vi.stubGlobal("EventSource", Line);
  vi.stubGlobal("fetch", async (path: string, init?: { body?: string }) => {
    if (/\/(undo|redo)$/.test(path)) {
      travels.push(path.split("/").at(-1)!);
      return new Response(JSON.stringify(traveled.shift()));
    }
    const posted = JSON.parse(init?.body ?? "") as { base: number; steps: NamedStep[] };
    posts.push(posted);
    const reply = replies.shift()?.(posted) ?? { status: 200, body: { revision: posted.base + posted.steps.length } };
    if (reply === "no answer") throw new TypeError("network");
    return new Response(JSON.stringify(reply.body), { status: reply.status });
  });
});
afterEach(() => vi.unstubAllGlobals());

const open = () => {
  const store = createSessionStore(
    { id: "s", revision: 0, document: session, undo: null, redo: null, load: null },
    { fault: (f) => faults.push(f), news: (n) => news.push(n), file: () => undefined, onBench: () => true },
  );
  return { store, close: store.getState().connect() };
};
const muted = (store: ReturnType<typeof open>["store"]) =>
  store
    .getState()
    .session.tracks.filter((t) => t.mute)
    .map((t) => t.id);

describe("edits", () => {
  test("are seen at once and confirmed when the server has them", async () => {
    const { store, close } = open();
    store.getState().edit("Mute", mute("a"));
    expect(muted(store)).toEqual(["a"]);
    await vi.waitFor(() => expect(store.getState().sync).toMatchObject({ revision: 1, pending: [] }));
    close();
  });

  test("made while others were first are sent again on top of theirs", async () => {
    const { store, close } = open();
    const theirs: StoredStep = { id: "theirs", revision: 1, step: { label: "Theirs", edits: mute("b") } };
    replies.push(() => ({ status: 409, body: { revision: 1, missing: [theirs] } }));
    store.getState().edit("Mute", mute("a"));
    await vi.waitFor(() => expect(store.getState().sync.revision).toBe(2));
    expect(posts.map((p) => p.base)).toEqual([0, 1]);
    expect(posts[1]!.steps[0]!.id).toBe(posts[0]!.steps[0]!.id);
    expect(muted(store)).toEqual(["a", "b"]);
    close();
  });

  test("that the server refuses are taken back, with the reason said, and later ones are kept", async () => {
    const { store, close } = open();
    const fault = { what: "No.", kept: "All else.", todo: "Look.", problems: [] };
    replies.push(() => ({ status: 422, body: { fault } }));
    store.getState().edit("Mute", mute("a"));
    store.getState().edit("Mute", mute("b"));
    await vi.waitFor(() => expect(store.getState().sync.pending).toEqual([]));
    expect(faults).toEqual([fault]);
    expect(muted(store)).toEqual(["b"]);
    close();
  });

  test("are kept while the server does not answer, and the page knows it is cut off", async () => {
    const { store, close } = open();
    replies.push(() => "no answer");
    store.getState().edit("Mute", mute("a"));
    await vi.waitFor(() => expect(store.getState().online).toBe(false));
    expect(muted(store)).toEqual(["a"]);
    await vi.waitFor(() => expect(store.getState().sync.revision).toBe(1));
    expect(store.getState().online).toBe(true);
    close();
  });

  test("are kept while the server's disk is full, which is said once, and stored when there is room", async () => {
    const { store, close } = open();
    const fault = { what: "The disk is full.", kept: "Nothing of this.", todo: "Make room.", problems: [] };
    for (let i = 0; i < 2; i++) replies.push(() => ({ status: 507, body: { fault } }));
    store.getState().edit("Mute", mute("a"));
    await vi.waitFor(() => expect(store.getState().sync.revision).toBe(1));
    expect(muted(store)).toEqual(["a"]);
    expect(faults).toEqual([fault]);
    expect(store.getState().online).toBe(true);
    close();
  });

  test("that make no sense here never leave the page", () => {
    const { store, close } = open();
    store.getState().edit("Delete the mix", [{ do: "remove", in: "tracks", id: "mix" }]);
    expect(posts).toEqual([]);
    expect(faults[0]!.what).toContain("Delete the mix");
    close();
  });
});

describe("undo", () => {
  test("is there from the moment that something was done, whenever the server's event comes", async () => {
    const { store, close } = open();
    store.getState().edit("Mute A", mute("a"));
    expect(store.getState()).toMatchObject({ undo: "Mute A", redo: null });
    await vi.waitFor(() => expect(store.getState().sync.pending).toEqual([]));
    expect(store.getState()).toMatchObject({ undo: "Mute A", redo: null });
    const [first] = posts[0]!.steps;
    Line.last.say("steps", { steps: [{ ...first!, revision: 1 }], undo: "As the server has it", redo: null });
    expect(store.getState().undo).toBe("As the server has it");
    close();
  });

  test("an event of what was before is no news of what comes next", async () => {
    const { store, close } = open();
    store.getState().edit("Mute A", mute("a"));
    store.getState().edit("Mute B", mute("b"));
    await vi.waitFor(() => expect(store.getState().sync.revision).toBe(2));
    const [first] = posts[0]!.steps;
    Line.last.say("steps", { steps: [{ ...first!, revision: 1 }], undo: "Mute A", redo: null });
    expect(store.getState().undo).toBe("Mute B");
    close();
  });

  test("and redo are told with the answer, before its event", async () => {
    const { store, close } = open();
    store.getState().edit("Mute A", mute("a"));
    traveled.push({ revision: 2, label: "Mute A", undo: null, redo: "Mute A" });
    await store.getState().travel("undo");
    expect(store.getState()).toMatchObject({ undo: null, redo: "Mute A" });
    expect(news).toEqual(["Undone: Mute A"]);
    const [step] = posts[0]!.steps;
    Line.last.say("steps", { steps: [{ ...step!, revision: 1 }], undo: "Mute A", redo: null });
    expect(store.getState()).toMatchObject({ undo: null, redo: "Mute A" });
    close();
  });

  test("of what the server refuses takes nothing else back", async () => {
    const { store, close } = open();
    const fault = { what: "No.", kept: "All else.", todo: "Look.", problems: [] };
    replies.push(() => ({ status: 422, body: { fault } }));
    store.getState().edit("Mute A", mute("a"));
    await store.getState().travel("undo");
    expect([travels, faults]).toEqual([[], [fault]]);
    traveled.push({ revision: 1, label: "Earlier", undo: null, redo: "Earlier" });
    await store.getState().travel("undo");
    expect([travels, news]).toEqual([["undo"], ["Undone: Earlier"]]);
    close();
  });
});

describe("events", () => {
  test("bring what others did, and what undo would take back", () => {
    const { store, close } = open();
    Line.last.say("steps", {
      steps: [{ id: "x", revision: 1, step: { label: "Mute B", edits: mute("b") } }],
      undo: "Mute B",
      redo: null,
    });
    expect(muted(store)).toEqual(["b"]);
    expect(store.getState()).toMatchObject({ undo: "Mute B", redo: null });
    close();
  });

  test("of our own steps, heard before the answer, confirm them once", async () => {
    const { store, close } = open();
    replies.push(({ steps }) => {
      Line.last.say("steps", { steps: [{ ...steps[0]!, revision: 1 }], undo: "Mute", redo: null });
      return { status: 200, body: { revision: 1 } };
    });
    store.getState().edit("Mute", mute("a"));
    await vi.waitFor(() => expect(store.getState().sync).toMatchObject({ revision: 1, pending: [] }));
    expect(muted(store)).toEqual(["a"]);
    close();
  });

  test("of jobs keep the newest state; a cancelled one is told once", () => {
    const { store, close } = open();
    const job: Job = {
      id: "j",
      session: "s",
      request: { kind: "export", since: null, full: true, only: null },
      status: "running",
      progress: { stage: "rendering", done: 0.4, speed: 3, secondsLeft: 2 },
      result: null,
      fault: null,
      attempts: 1,
    };
    Line.last.say("job", job);
    expect(store.getState().jobs["j"]?.progress.done).toBe(0.4);
    Line.last.say("job", { ...job, status: "cancelled" });
    Line.last.say("job", { ...job, status: "cancelled" });
    expect(news).toEqual(["Export cancelled. Nothing was kept of it."]);
    close();
  });

  test("a line closed by an error is opened again, from the last revision known", async () => {
    const { store, close } = open();
    Line.last.say("steps", {
      steps: [{ id: "x", revision: 1, step: { label: "Mute B", edits: mute("b") } }],
      undo: "Mute B",
      redo: null,
    });
    const first = Line.last;
    first.readyState = Line.CLOSED;
    first.dispatchEvent(new Event("error"));
    expect(store.getState().online).toBe(false);
    await vi.waitFor(() => expect(Line.last).not.toBe(first));
    expect(Line.last.address).toContain("after=1");
    close();
  });
});
