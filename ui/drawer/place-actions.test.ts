import { describe, expect, test } from "vitest";
import type { Edit } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import type { Session } from "../../core/session/document";
import { placeActions } from "./place-actions";
import type { ActionContext } from "../actions/action";
import { session } from "../testing/bench-session";
import { clipActions } from "../clips/clip-actions";

/** Runs an action with a clip selected, and gives the session as it is then. */
function after(document: Session, track: string, clip: string, id: string): Session {
  let now = document;
  const ref = { track, clip };
  const context = {
    session: {
      getState: () => ({
        session: document,
        selected: [track],
        selectedClip: ref,
        selectedClips: [ref],
        edit(label: string, edits: readonly Edit[]) {
          const made = applyStep(document, { label, edits: [...edits] });
          if (!made.ok) throw new Error(JSON.stringify(made.problems));
          now = made.value.session;
          return true;
        },
      }),
    },
    playback: { getState: () => ({ position: () => 0, stretch: null }) },
  } as unknown as ActionContext;
  const action = [...clipActions, ...placeActions].find((a) => a.id === id)!;
  expect(action.blocked(context)).toBeNull();
  action.run(context);
  return now;
}

describe("actions of clips", () => {
  const audio = session.tracks.flatMap((t) => t.clips.map((c) => ({ t, c }))).find(({ c }) => c.kind === "audio")!;
  const clipOf = (of: Session) =>
    of.tracks.flatMap((t) => t.clips).find((c) => c.id === audio.c.id) as { readonly reverse: boolean };

  test("reversing twice is the clip as it was", () => {
    const once = after(session, audio.t.id, audio.c.id, "clip-reverse");
    expect(clipOf(once).reverse).toBe(true);
    expect(after(once, audio.t.id, audio.c.id, "clip-reverse")).toEqual(session);
  });

  test("quantising puts every note of the phrase on the grid, and again changes nothing", () => {
    const notes = session.tracks.flatMap((t) => t.clips.map((c) => ({ t, c }))).find(({ c }) => c.kind === "notes")!;
    const phrase = (notes.c as { readonly phrase: string }).phrase;
    const shifted: Session = {
      ...session,
      phrases: session.phrases.map((p) =>
        p.id === phrase ? { ...p, notes: [{ tick: 13, ticks: 200, pitch: 60, velocity: 90 }] } : p,
      ),
    };
    const held = after(shifted, notes.t.id, notes.c.id, "notes-quantise");
    expect(held.phrases.find((p) => p.id === phrase)!.notes).toEqual([
      { tick: 0, ticks: 200, pitch: 60, velocity: 90 },
    ]);
    expect(after(held, notes.t.id, notes.c.id, "notes-quantise")).toEqual(held);
  });
});
