import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../core/session/build";
import type { Session } from "../core/session/document";
import { applyStep } from "../core/session/edits";
import type { Edit } from "../core/session/edits";
import { hashOf } from "../core/testing/listen";
import { recordedAssets } from "../core/testing/random-session";
import type { FromEngine, FromOutput, ToEngine } from "./messages";
import { Player } from "./player";

/** A worker that does nothing but note what it is told, and says what a test makes it say. */
class Told {
  static all: Told[] = [];
  /** What all engines were told, in order. */
  static log: ToEngine[] = [];
  readonly messages: ToEngine[] = [];
  onmessage: ((event: { data: FromEngine }) => void) | null = null;
  onerror: unknown = null;
  constructor(
    _url: unknown,
    readonly options: { readonly name: string },
  ) {
    Told.all.push(this);
  }
  postMessage(message: ToEngine): void {
    // As a worker gets it: a copy.
    const copy = message.kind === "connect" || !("kind" in message) ? message : structuredClone(message);
    this.messages.push(copy);
    if (this.options.name === "engine") Told.log.push(copy);
  }
  terminate(): void {}
}
const engines = () => Told.all.filter((w) => w.options.name === "engine");
const starts = () => Told.log.filter((m) => m.kind === "start");
const turns = () => Told.log.filter((m) => m.kind === "turn");

const session: Session = makeSession({
  assets: recordedAssets,
  tracks: [
    ...Array.from({ length: 200 }, (_, i) =>
      makeTrack({
        id: `t${i}`,
        name: `T${i}`,
        kind: "audio",
        clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 48000 })],
        devices: [makeDevice(`d${i}`, "eq")],
      }),
    ),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const edited = (from: Session, ...edits: readonly Edit[]): Session => {
  const made = applyStep(from, { label: "x", edits });
  if (!made.ok) throw new Error("refused");
  return made.value.session;
};
const fader = (faderDb: number): Edit => ({ do: "set", in: "tracks", id: "t7", patch: { faderDb } });

describe("a player", () => {
  beforeEach(() => {
    Told.all = [];
    Told.log = [];
    vi.stubGlobal("Worker", Told);
    vi.useFakeTimers();
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  const none = new Set<string>();
  /** A player whose engine stands ready at the beginning. */
  const warmed = () => {
    const player = new Player(session, none, {
      state: vi.fn(),
      ready: vi.fn(),
      load: vi.fn(),
      loudness: vi.fn(),
      missed: vi.fn(),
      failed: vi.fn(),
    });
    player.warm();
    vi.runAllTimers();
    for (let round = 0; round < 2; round++)
      for (const engine of engines()) {
        const last = engine.messages.findLast((m) => m.kind === "start");
        if (last) engine.onmessage?.({ data: { kind: "ready", exact: true, ticket: last.ticket } });
      }
    return player;
  };

  test("gives each engine the session once, and both stand ready", () => {
    warmed();
    expect(starts().map((m) => m.session?.tracks.length)).toEqual([201, 201]);
  });

  test("tells them of a hand on a fader what it does and nothing more, however big the session is", () => {
    const player = warmed();
    const before = starts().length;
    let now = session;
    for (let db = -1; db > -20; db--) player.take((now = edited(now, fader(db))), none);
    expect(turns().length).toBe(2 * 19);
    expect(turns()[0]).toEqual({ kind: "turn", changes: [{ track: "t7", faderDb: -1 }], soloed: null });
    expect(JSON.stringify(turns()[5]).length).toBeLessThan(100);
    // Stopped, the one that stands ready begins again with what it has.
    vi.runAllTimers();
    const since = starts().slice(before);
    expect(since.map((m) => m.session)).toEqual([null]);
  });

  test("gives them the whole session where a graph of its own is needed", () => {
    const player = warmed();
    const before = starts().length;
    const other = edited(session, { do: "add", in: "devices", track: "t3", item: makeDevice("n", "gate"), index: 1 });
    player.take(other, none);
    vi.runAllTimers();
    expect(turns()).toEqual([]);
    expect(starts().slice(before)[0]?.session).toEqual(other);
  });

  test("says nothing of what is never heard; of a solo, who is soloed", () => {
    const player = warmed();
    const renamed = edited(session, { do: "set", in: "tracks", id: "t7", patch: { name: "Other" } });
    player.take(renamed, none);
    expect(turns()).toEqual([]);
    player.take(renamed, new Set(["t1"]));
    expect(turns().map((m) => [m.changes, m.soloed])).toEqual([
      [[], ["t1"]],
      [[], ["t1"]],
    ]);
  });

  describe("from a place in the middle", () => {
    /** The port of the worklet: what it is told, and what it says. */
    const node = { port: { postMessage: vi.fn(), onmessage: null as ((event: { data: FromOutput }) => void) | null } };
    const output = { ...node, connect: vi.fn() };
    const reachS = () => (starts().at(-1)?.reach ?? 0) / session.rate;
    const say = (message: (ticket: number) => FromEngine) => {
      const ticket = starts().at(-1)?.ticket ?? 0;
      const asked = engines().find((e) => e.messages.some((m) => m.kind === "start" && m.ticket === ticket));
      asked?.onmessage?.({ data: message(ticket) });
    };
    const readyAs = (exact: boolean) => say((ticket) => ({ kind: "ready", ticket, exact }));
    const tookOver = async (ring: number) => {
      await vi.advanceTimersByTimeAsync(0);
      output.port.onmessage?.({ data: { kind: "took over", ring } });
    };
    async function playing(): Promise<Player> {
      vi.stubGlobal(
        "AudioContext",
        class {
          audioWorklet = { addModule: () => Promise.resolve() };
          destination = {};
          resume = () => Promise.resolve();
        },
      );
      vi.stubGlobal(
        "AudioWorkletNode",
        vi.fn(function () {
          return output;
        }),
      );
      const player = warmed();
      await player.play();
      return player;
    }

    test("what begins with a pre-roll is caught up with in the background, once", async () => {
      const player = await playing();
      player.seek(480_000);
      expect(reachS()).toBeLessThan(5);
      readyAs(false);
      const before = starts().length;
      await tookOver(1);
      expect([starts().length, starts().at(-1)?.at, reachS()]).toEqual([before + 1, 0.2 * session.rate, 120]);
      readyAs(false);
      await tookOver(0);
      expect(starts().length).toBe(before + 1);
    });

    test("catching up is given up where the machine does not keep up, and when playing stops", async () => {
      const player = await playing();
      let ring = 0;
      const rests = () => Told.log.filter((m) => m.kind === "rest").length;
      for (const end of [
        () => output.port.onmessage?.({ data: { kind: "missed", frames: 64 } }),
        () => player.stop(),
      ]) {
        player.seek(480_000);
        readyAs(false);
        await tookOver((ring = 1 - ring));
        const before = rests();
        end();
        expect(rests()).toBe(before + 1);
      }
    });

    test("what begins exactly is left alone; a loop has the other engine for its next round", async () => {
      const player = await playing();
      player.seek(480_000);
      readyAs(true);
      const before = starts().length;
      await tookOver(1);
      expect(starts().length).toBe(before);
      player.setLoop({ from: 480_000, to: 960_000 });
      // How fast an engine is has to be known before it may begin far away.
      expect([starts().length, starts().at(-1)?.at, reachS()]).toEqual([before + 1, 480_000, 2.5]);
      const lead = starts().at(-2)?.ticket ?? 0;
      for (const e of engines()) e.onmessage?.({ data: { kind: "load", ticket: lead, tracks: { t0: 0.1, t1: 0.1 } } });
      player.setLoop({ from: 480_000, to: 960_000 });
      // In half of the twenty seconds that are left, at five times real time.
      expect(reachS()).toBe(50);
    });

    test("what fails while it catches up does not stop what is heard", async () => {
      const player = await playing();
      player.seek(480_000);
      readyAs(false);
      await tookOver(1);
      say((ticket) => ({ kind: "failed", ticket, what: "Gone.", todo: "Look." }));
      const before = starts().length;
      player.seek(500_000);
      // Playing, the other engine is made ready at once.
      expect(starts().length).toBe(before + 1);
    });

    test("what an engine remembers is offered to the next start, with the session it is of where that has changed", async () => {
      const player = await playing();
      const checkpoint = { clock: 96_000, block: 256, latency: 0, memory: new SharedArrayBuffer(8) };
      player.seek(90_000);
      const { serial = 0 } = starts().at(-1) ?? {};
      say((ticket) => ({ kind: "checkpoint", ticket, serial, checkpoint }));
      player.seek(90_000);
      expect(starts().at(-1)?.offers).toEqual([]);
      player.seek(100_000);
      expect(
        starts()
          .at(-1)
          ?.offers.map((o) => [o.of, o.checkpoint.clock]),
      ).toEqual([[null, 96_000]]);
      player.take(
        edited(session, { do: "add", in: "devices", track: "t3", item: makeDevice("n", "gate"), index: 1 }),
        none,
      );
      player.seek(110_000);
      expect(
        starts()
          .at(-1)
          ?.offers.map((o) => [o.of?.tracks.length, o.checkpoint.clock]),
      ).toEqual([[201, 96_000]]);
    });
  });
});
