import { beforeEach, describe, expect, test, vi } from "vitest";
import { createStore } from "zustand/vanilla";
import type { Session } from "../../core/session/document";
import { session } from "../testing/bench-session";
import type { SessionStoreApi } from "../session/store";
import { createPlaybackStore } from "./store";

interface Events {
  state(state: string): void;
  load(tracks: Readonly<Record<string, number>>): void;
  missed(frames: number): void;
}
const player = vi.hoisted(() => ({
  events: null as unknown as Events,
  take: vi.fn(),
  play: vi.fn(() => Promise.resolve()),
  stop: vi.fn(),
  seek: vi.fn(),
  setLoop: vi.fn(),
  warm: vi.fn(),
  touch: vi.fn(),
  close: vi.fn(),
  position: 0,
  loudness: -20,
}));
vi.mock("../../player/player", () => ({
  Player: vi.fn(function (_session: unknown, _soloed: unknown, events: Events) {
    player.events = events;
    return player;
  }),
}));

const made = () => {
  const doc = createStore<{ session: Session; ride: () => boolean }>(() => ({ session, ride: () => false }));
  const notices = { failed: vi.fn(), behind: vi.fn() };
  const store = createPlaybackStore(doc as unknown as SessionStoreApi, notices);
  const leave = store.getState().connect();
  return { doc, notices, store, leave };
};

beforeEach(() => {
  vi.clearAllMocks();
  vi.stubGlobal("addEventListener", vi.fn());
  vi.stubGlobal("removeEventListener", vi.fn());
});

describe("playing, as the screens steer it", () => {
  test("tells the player what the session becomes, and lets what is tried out be heard without being stored", () => {
    const { doc, store, leave } = made();
    store.getState().tryOut([{ do: "set", in: "tracks", id: "a", patch: { faderDb: -9 } }]);
    const [tried] = player.take.mock.lastCall as [Session];
    expect(tried.tracks.find((t) => t.id === "a")!.faderDb).toBe(-9);
    expect(doc.getState().session).toBe(session);
    store.getState().tryOut(null);
    expect((player.take.mock.lastCall as [Session])[0]).toBe(session);
    const other = { ...session, name: "Other" };
    doc.setState({ session: other });
    expect((player.take.mock.lastCall as [Session])[0]).toBe(other);
    leave();
    expect(player.close).toHaveBeenCalledOnce();
  });

  test("solo is a set that grows, and is let go where all of it is asked for again; tracks that go leave it", () => {
    const { doc, store } = made();
    store.getState().solo(["a"]);
    store.getState().solo(["i"]);
    expect([...store.getState().soloed]).toEqual(["a", "i"]);
    store.getState().solo(["a"]);
    expect([...store.getState().soloed]).toEqual(["i"]);
    doc.setState({ session: { ...session, tracks: session.tracks.filter((t) => t.id !== "i") } });
    expect([...store.getState().soloed]).toEqual([]);
  });

  test("loops only in a range that is set", () => {
    const { store } = made();
    store.getState().loop(true);
    expect(store.getState().looping).toBe(false);
    store.getState().mark({ from: 0, to: 48000 });
    store.getState().loop(true);
    expect(player.setLoop).toHaveBeenLastCalledWith({ from: 0, to: 48000 });
    store.getState().mark(null);
    expect([store.getState().looping, player.setLoop.mock.lastCall]).toEqual([false, [null]]);
  });

  test("a step back goes to the own bar's beginning first, then to the one before; never before bar 1", () => {
    const { store } = made();
    // Bar 1 has four beats and bar 2 five, at 120 to the minute: two seconds, then two and a half.
    player.position = 48000 * 3;
    store.getState().stepBars(-1);
    expect(player.seek).toHaveBeenLastCalledWith(48000 * 2);
    player.position = 48000 * 2;
    store.getState().stepBars(-1);
    expect(player.seek).toHaveBeenLastCalledWith(0);
    player.position = 0;
    store.getState().stepBars(-1);
    expect(player.seek).toHaveBeenLastCalledWith(0);
    store.getState().stepBars(2);
    expect(player.seek).toHaveBeenLastCalledWith(48000 * 4.5);
  });

  test("a machine that does not keep up is told once what to freeze; one that is busy otherwise is not", () => {
    const { store, notices } = made();
    store.getState().toggle();
    player.events.state("playing");
    // Sound is missing, but not because of what is computed.
    player.events.missed(9600);
    for (let i = 0; i < 6; i++) player.events.load({ a: 0.1, i: 0.1 });
    expect(notices.behind).not.toHaveBeenCalled();
    for (let i = 0; i < 6; i++) player.events.load({ a: 0.2, i: 0.9 });
    expect(store.getState().relief).toContain("i");
    for (let i = 0; i < 6; i++) player.events.load({ a: 0.2, i: 0.9 });
    expect(notices.behind).toHaveBeenCalledOnce();
  });
});
