import { planPrint } from "../../core/printing/plan";
import type { Slip } from "../../core/printing/slip";
import { plainSlip } from "../../core/printing/slip";
import { consolidateNotes } from "../../core/session/nest-edits";
import { mixOf } from "../../core/session/routing";
import { actionsOn, type Action, type ActionContext } from "../actions/action";
import { trackName } from "../session/track-state";
import { recipeKey, useRecipes } from "./recipe-store";
import type { Wanted } from "./slip-store";
import { riddenIn, slipFor, useSlip, wantedOf } from "./slip-store";
import { sayRefusals } from "../../core/words/refusals";
import { sayFirstProblem } from "../../core/words/problems";

function stateOf({ session: store, warn }: ActionContext) {
  const now = store.getState();
  const { session, selected, selectedClips } = now;
  const slip = useSlip.getState();
  return {
    ...{ now, slip, warn },
    nothing: selected.length === 0 ? "Select tracks or clips first" : null,
    /** The slip of a sentence, for what is selected. */
    of: (wanted: Wanted): Slip => {
      const { subject, pad, ridden } = useSlip.getState();
      return slipFor(session, { selected, selectedClips }, wanted, {
        ...{ subject, pad, ridden: riddenIn(ridden, now.id) },
      });
    },
    onAudio: session.tracks.some((t) => selected.includes(t.id) && t.kind === "audio" && t.clips.length > 0),
    notes: session.tracks.find(
      (t) => selected.includes(t.id) && t.kind === "instrument" && !t.frozen && t.clips.length > 0,
    ),
  };
}
type State = ReturnType<typeof stateOf>;

function print({ now, warn }: State, slip: Slip): void {
  const plan = planPrint(now.session, slip);
  if (!plan.ok) return warn(sayRefusals(plan.refusals, "\n"));
  void now.print(slip);
}

const rangeOfSelection = ({ from, to }: { readonly from: number; readonly to: number }) =>
  ({ by: "stretch", from, to }) as const;

/**
 * What is heard of each selected track, faders and pans included, on a new track: all of it, the selected clips, or the
 * selected range.
 */
const bounceOf = ({ session, selected, selectedClips, selectedRange }: State["now"]): Slip =>
  slipFor(
    session,
    { selected, selectedClips },
    {
      ...wantedOf(plainSlip([])),
      tap: "channel",
      name: "{track} bounce",
      ...(selectedRange ? { range: rangeOfSelection(selectedRange), afterwards: "keep live" } : {}),
    },
    { subject: selectedRange ? "tracks" : "clips", pad: null, ridden: [] },
  );

/** Why nothing of a selection can be bounced, without planning it: that looks at everything upstream. */
function unbounceable({ session, selected }: State["now"]): string | null {
  const tracks = session.tracks.filter((t) => selected.includes(t.id) && !t.parked);
  if (tracks.length === 0) return "The selected tracks are parked";
  const isEmpty = tracks.every((t) => (t.kind === "audio" || t.kind === "instrument") && t.clips.length === 0);
  return isEmpty ? "There are no clips on them" : null;
}

function consolidateAudio(state: State, range: Slip["range"]): void {
  const { session, selected, selectedClips } = state.now;
  const ofAudio = selected.filter((id) =>
    session.tracks.some((t) => t.id === id && t.kind === "audio" && t.clips.length > 0),
  );
  print(
    state,
    slipFor(
      session,
      // From bar 1 it is the whole track: a file from there would lie over clips that stay.
      { selected: ofAudio, selectedClips: range.by === "zero" ? [] : selectedClips },
      {
        ...wantedOf(plainSlip([])),
        tap: "clip",
        tail: "none",
        range,
        placed: "same track",
        afterwards: "replace",
        name: "{track}",
      },
      { subject: "clips", pad: null, ridden: [] },
    ),
  );
}

function consolidateNotesOf({ now, notes, warn }: State): void {
  if (!notes) return;
  const made = consolidateNotes(
    now.session,
    notes,
    now.selectedClips.length > 0 ? now.selectedClips.map((c) => c.clip) : notes.clips.map((c) => c.id),
    () => crypto.randomUUID(),
  );
  if (!made.ok) warn(sayFirstProblem(made.problems));
  else if (now.edit(`Consolidate the notes of ${trackName(notes)}`, made.value.edits))
    now.selectClip({ track: notes.id, clip: made.value.clip });
}

/** Printing, by key: what the slip says, the last print again on what is selected now, and clips made one. */
export const printActions = actionsOn(stateOf, [
  {
    id: "slip",
    group: "Print",
    label: "Print…",
    labelNow: ({ slip }) => (slip.mode === "print" ? "Close the print slip" : "Print…"),
    key: "Shift+P",
    run: ({ now, slip }) => {
      if (slip.mode === "print") return slip.show("freeze");
      const { selectedRange } = now;
      // A range that was selected for an earlier print is not meant again.
      if (selectedRange) slip.want({ range: rangeOfSelection(selectedRange) });
      else if (slip.wanted.range.by === "stretch") slip.want({ range: { by: "zero" } });
      else slip.show("print");
    },
  },
  {
    id: "print",
    group: "Print",
    label: "Print",
    key: "Ctrl+Enter",
    blocked: ({ nothing }) => nothing,
    run: (state) => {
      const slip = state.of(state.slip.wanted);
      state.slip.remember(slip);
      print(state, slip);
      // What was ridden is in that print, and kept with it.
      if (slip.moves.length > 0) state.slip.ride(null);
    },
  },
  {
    id: "print-again",
    group: "Print",
    label: "Repeat last print",
    labelNow: ({ slip }) => (slip.last ? "Repeat last print" : "Print"),
    key: "P",
    blocked: ({ nothing }) => nothing,
    // The first time there is nothing to repeat: what the slip says is printed.
    run: (state) => {
      const { last, wanted, remember } = state.slip;
      const slip = state.of(last ?? wanted);
      if (!last) remember(slip);
      print(state, slip);
    },
  },
  {
    id: "bounce",
    group: "Print",
    label: "Bounce tracks",
    labelNow: ({ now }) =>
      now.selectedRange ? "Bounce the range" : now.selectedClips.length > 0 ? "Bounce clips" : "Bounce tracks",
    key: "Shift+B",
    blocked: ({ nothing, now }) => nothing ?? unbounceable(now),
    run: (state) => print(state, bounceOf(state.now)),
  },
  {
    id: "print-mix",
    group: "Print",
    label: "Bounce the mix",
    key: "Ctrl+Shift+Enter",
    blocked: ({ now }) =>
      now.session.tracks.some((t) => t.clips.length > 0 && !t.parked) ? null : "Nothing is placed yet",
    run: (state) =>
      print(state, {
        ...plainSlip([mixOf(state.now.session).id]),
        tap: "mix",
        placed: "shelf",
        afterwards: "keep live",
        name: "{session} mix",
      }),
  },
  {
    id: "consolidate",
    group: "Print",
    label: "Consolidate clips",
    labelNow: ({ now }) => (now.selectedRange ? "Consolidate the range" : "Consolidate clips"),
    key: "O",
    blocked: ({ nothing, onAudio, notes }) =>
      nothing ?? (onAudio || notes ? null : "Select clips, or a track that has some"),
    run: (state) => {
      const { selectedRange } = state.now;
      // A range sets both ends for all tracks; else each file begins with its own first clip.
      if (!state.onAudio) consolidateNotesOf(state);
      else if (selectedRange)
        consolidateAudio(state, { by: "stretch", from: selectedRange.from, to: selectedRange.to });
      else consolidateAudio(state, { by: "own" });
    },
  },
  {
    id: "consolidate-zero",
    group: "Print",
    label: "Consolidate whole tracks from bar 1, all equally long",
    key: null,
    blocked: ({ nothing, onAudio }) => nothing ?? (onAudio ? null : "Select a track of audio"),
    run: (state) => consolidateAudio(state, { by: "zero" }),
  },
]);

/** An action for every recipe that is kept; the first nine have a key each. */
export const recipeActions = (): readonly Action[] =>
  actionsOn(
    stateOf,
    (useRecipes.getState().list ?? []).map((recipe, place) => ({
      id: `recipe-${recipe.id}`,
      group: "Print",
      label: `Print what is selected by the recipe “${recipe.name}”`,
      key: recipeKey(place),
      blocked: ({ nothing }) => nothing,
      run: (state) => {
        useSlip.getState().use(recipe.slip);
        const slip = state.of(useSlip.getState().wanted);
        state.slip.remember(slip);
        print(state, slip);
      },
    })),
  );
