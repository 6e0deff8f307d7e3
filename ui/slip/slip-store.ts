import { create } from "zustand";
import { persist } from "zustand/middleware";
import { tracksOf } from "../../core/printing/members/phrase";
import type { Session } from "../../core/session/document";
import type { Slip } from "../../core/printing/slip";
import { fitted, plainSlip } from "../../core/printing/slip";
import type { Recipe } from "../../contract/recipe";
import type { SessionStore } from "../session/session-store";

/** What a slip says beside what of one session it is about. */
export type Wanted = Omit<Slip, "tracks" | "clips" | "of" | "moves" | "pad">;
/**
 * What of a selection is printed: its clips, where clips are chosen; the whole tracks; or the chosen clip's phrase
 * wherever it is placed.
 */
export type Subject = "clips" | "tracks" | "phrase";

interface SlipState {
  /** Whether the foot of the Bench freezes (reversible) or prints. */
  readonly mode: "freeze" | "print";
  readonly wanted: Wanted;
  readonly subject: Subject;
  /** The pad that prints become layers of, when they are placed on one. */
  readonly pad: Slip["pad"];
  /** What was ridden in the last live pass, and in which session; in the next print. */
  readonly ridden: { readonly session: string; readonly moves: Slip["moves"] } | null;
  /** The last print that was asked for, to be done again on something else. */
  readonly last: Wanted | null;
  show(mode: SlipState["mode"]): void;
  want(patch: Partial<Wanted>): void;
  about(subject: Subject): void;
  /** Says what a recipe says. */
  use(recipe: Recipe["slip"]): void;
  onto(pad: Slip["pad"]): void;
  ride(ridden: SlipState["ridden"]): void;
  remember(slip: Slip): void;
}

export const wantedOf = ({
  tracks: _tracks,
  clips: _clips,
  of: _of,
  moves: _moves,
  pad: _pad,
  ...wanted
}: Slip): Wanted => wanted;
const PLAIN = wantedOf(plainSlip([]));

/** The slip as it is being written, kept in the browser from session to session. */
export const useSlip = create<SlipState>()(
  persist(
    (set, get) => ({
      mode: "freeze",
      wanted: PLAIN,
      subject: "clips",
      pad: null,
      ridden: null,
      last: null,
      show: (mode) => set({ mode }),
      want: (patch) => set({ wanted: { ...get().wanted, ...patch }, mode: "print" }),
      about: (subject) => set({ subject }),
      use: ({ subject, ...wanted }) => set({ wanted, subject, mode: "print" }),
      onto: (pad) =>
        set({
          pad,
          wanted: {
            ...get().wanted,
            placed: pad ? "pad" : "new track",
            ...(pad ? { afterwards: "keep live" as const } : {}),
          },
          mode: "print",
        }),
      ride: (ridden) => set({ ridden }),
      remember: (slip) => set({ last: wantedOf(slip) }),
    }),
    {
      name: "stemzo-slip",
      skipHydration: true,
      partialize: ({ wanted, last }) => ({ wanted, last }),
      // What an earlier version kept lacks what came later.
      merge: (kept, now) => {
        const { wanted, last } = (kept ?? {}) as { wanted?: Partial<Wanted>; last?: Partial<Wanted> | null };
        return { ...now, wanted: { ...PLAIN, ...wanted }, last: last ? { ...PLAIN, ...last } : null };
      },
    },
  ),
);

type Chosen = Pick<SessionStore, "selected" | "selectedClips">;

/** The phrase of the one chosen clip of notes, or null. */
export function chosenPhrase(session: Session, { selectedClips }: Pick<SessionStore, "selectedClips">): string | null {
  const [ref] = selectedClips;
  const clip =
    selectedClips.length === 1
      ? session.tracks.find((t) => t.id === ref?.track)?.clips.find((c) => c.id === ref?.clip)
      : undefined;
  return clip?.kind === "notes" ? clip.phrase : null;
}

/**
 * The slip for what is selected: its clips, where clips are chosen, else its tracks; or a phrase, on every track that
 * plays it.
 */
export function slipFor(
  session: Session,
  chosen: Chosen,
  wanted: Wanted,
  { subject, pad, ridden }: Pick<SlipState, "subject" | "pad"> & { readonly ridden: Slip["moves"] },
): Slip {
  const phrase = subject === "phrase" ? chosenPhrase(session, chosen) : null;
  if (phrase !== null) {
    const fit = fitted(
      {
        ...wanted,
        tracks: tracksOf(session, phrase),
        clips: null,
        of: { what: "phrase", phrase },
        moves: [],
        pad: null,
        tap: "devices",
        range: { by: "zero" },
        together: false,
        placed: wanted.placed === "shelf" ? "shelf" : "new track",
        name: wanted.name === PLAIN.name ? "{phrase} print" : wanted.name,
      },
      session,
    );
    return { ...fit, pieces: "one piece" };
  }
  const tracks = session.tracks.filter((t) => chosen.selected.includes(t.id) && !t.parked).map((t) => t.id);
  const clips = chosen.selectedClips.filter((c) => tracks.includes(c.track)).map((c) => c.clip);
  return fitted(
    {
      ...wanted,
      tracks,
      clips: subject !== "tracks" && clips.length > 0 ? clips : null,
      of: { what: "clips" },
      moves: ridden,
      pad,
    },
    session,
  );
}

/** What was ridden, as far as it was in this session. */
export const riddenIn = (ridden: SlipState["ridden"], session: string): Slip["moves"] =>
  ridden?.session === session ? ridden.moves : NONE;
const NONE: Slip["moves"] = [];
