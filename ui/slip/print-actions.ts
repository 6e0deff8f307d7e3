import { planPrint } from "../../core/printing/plan";
import type { Slip } from "../../core/printing/slip";
import { plainSlip } from "../../core/printing/slip";
import { consolidateNotes } from "../../core/session/nest-edits";
import { mixOf } from "../../core/session/routing";
import type { Action } from "../session/actions";
import type { SessionStoreApi } from "../session/store";
import { trackName } from "../session/track-state";
import { recipeKey, useRecipes } from "./recipe-store";
import type { Wanted } from "./slip-store";
import { riddenIn, slipFor, useSlip, wantedOf } from "./slip-store";
import { sayRefusals } from "../../core/words/refusals";
import { sayFirstProblem } from "../../core/words/problems";

/** Printing, by key: what the slip says, the last print again on what is selected now, and clips made one. */
export function printActions(store: SessionStoreApi, problem: (text: string) => void): readonly Action[] {
  const { id, session, selected, selectedClips, selectedRange, print, edit, selectClip } = store.getState();
  const { mode, wanted, last, subject, pad, ridden, show, remember, ride } = useSlip.getState();
  const nothing = selected.length === 0 ? "Select tracks or clips first" : null;
  const go = (slip: Slip) => {
    const plan = planPrint(session, slip);
    if (!plan.ok) return problem(sayRefusals(plan.refusals, "\n"));
    void print(slip);
  };
  const of = (what: Wanted) =>
    slipFor(session, { selected, selectedClips }, what, { subject, pad, ridden: riddenIn(ridden, id) });
  const onAudio = session.tracks.some((t) => selected.includes(t.id) && t.kind === "audio" && t.clips.length > 0);
  const notes = session.tracks.find(
    (t) => selected.includes(t.id) && t.kind === "instrument" && !t.frozen && t.clips.length > 0,
  );
  const consolidateAudio = (range: Slip["range"]) =>
    go({
      ...slipFor(
        session,
        {
          selected: selected.filter((id) =>
            session.tracks.some((t) => t.id === id && t.kind === "audio" && t.clips.length > 0),
          ),
          // From bar 1 it is the whole track: a file from there would lie over clips that stay.
          selectedClips: range.by === "zero" ? [] : selectedClips,
        },
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
    });
  return [
    {
      id: "slip",
      group: "Print",
      label: mode === "print" ? "Back to freezing" : "Write a print slip",
      key: "Shift+P",
      blocked: null,
      run: () => show(mode === "print" ? "freeze" : "print"),
    },
    {
      id: "print",
      group: "Print",
      label: "Print what the slip says",
      key: "Ctrl+Enter",
      blocked: nothing,
      run: () => {
        const slip = of(wanted);
        remember(slip);
        go(slip);
        // What was ridden is in that print, and kept with it.
        if (slip.moves.length > 0) ride(null);
      },
    },
    {
      id: "print-again",
      group: "Print",
      label: last ? "Repeat last print" : "Print",
      key: "P",
      blocked: nothing,
      // The first time there is nothing to repeat: what the slip says is printed.
      run: () => {
        const slip = of(last ?? wanted);
        if (!last) remember(slip);
        go(slip);
      },
    },
    ...(useRecipes.getState().list ?? []).map((recipe, place): Action => ({
      id: `recipe-${recipe.id}`,
      group: "Print",
      label: `Print what is selected by the recipe “${recipe.name}”`,
      key: recipeKey(place),
      blocked: nothing,
      run: () => {
        useSlip.getState().use(recipe.slip);
        const now = useSlip.getState();
        const slip = slipFor(session, { selected, selectedClips }, now.wanted, {
          ...{ subject: now.subject, pad, ridden: riddenIn(ridden, id) },
        });
        remember(slip);
        go(slip);
      },
    })),
    {
      id: "print-mix",
      group: "Print",
      label: "Print the mix onto the shelf, whole and through its chain",
      key: "Ctrl+Shift+Enter",
      blocked: session.tracks.some((t) => t.clips.length > 0 && !t.parked) ? null : "Nothing is placed yet",
      run: () =>
        go({
          ...plainSlip([mixOf(session).id]),
          tap: "mix",
          placed: "shelf",
          afterwards: "keep live",
          name: "{session} mix",
        }),
    },
    {
      id: "consolidate",
      group: "Print",
      label: selectedRange ? "Consolidate the range" : "Consolidate clips",
      key: "O",
      blocked: nothing ?? (onAudio || notes ? null : "Select clips, or a track that has some"),
      run: () => {
        // A range sets both ends for all tracks; else each file begins with its own first clip.
        if (onAudio)
          return consolidateAudio(
            selectedRange ? { by: "stretch", from: selectedRange.from, to: selectedRange.to } : { by: "own" },
          );
        if (!notes) return;
        const made = consolidateNotes(
          session,
          notes,
          selectedClips.length > 0 ? selectedClips.map((c) => c.clip) : notes.clips.map((c) => c.id),
          () => crypto.randomUUID(),
        );
        if (!made.ok) problem(sayFirstProblem(made.problems));
        else if (edit(`Consolidate the notes of ${trackName(notes)}`, made.value.edits))
          selectClip({ track: notes.id, clip: made.value.clip });
      },
    },
    {
      id: "consolidate-zero",
      group: "Print",
      label: "Consolidate whole tracks from bar 1, all equally long",
      key: null,
      blocked: nothing ?? (onAudio ? null : "Select a track of audio"),
      run: () => consolidateAudio({ by: "zero" }),
    },
  ];
}
