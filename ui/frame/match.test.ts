import { describe, expect, test } from "vitest";
import { rank } from "./match";
import { ACTIONS } from "./registry";
import { SYNONYMS } from "./synonyms";

const all = ACTIONS.map((a) => ({ id: a.id, label: a.label, group: a.group, synonyms: SYNONYMS[a.id] ?? [] }));
const found = (search: string) => rank(search, all).map(({ id }) => id);

test("the trade's words lead to the action, and letters that only happen to follow each other to none", () => {
  expect(found("bounce").slice(0, 2)).toEqual(expect.arrayContaining(["print-mix", "bounce"]));
  expect(found("glue")[0]).toBe("consolidate");
  expect(found("hear only")[0]).toBe("solo");
  expect(found("crossfade")[0]).toBe("clip-crossfade");
  expect(found("split").slice(0, 3)).toEqual(expect.arrayContaining(["clip-cut-here", "range-cut"]));
  expect(found("loop the")[0]).toBe("loop");
  expect(found("qzx")).toEqual([]);
});

test("every action is found by its own label, among the first three", () => {
  for (const a of ACTIONS) expect(found(a.label).slice(0, 3), a.label).toContain(a.id);
});

test("endings and one wrong letter do not matter", () => {
  expect(found("freezing tracks")[0]).toBe("freeze");
  expect(found("splitting clips")[0]).toBe("clip-cut-here");
  expect(found("consolidat")[0]).toBe("consolidate");
  expect(found("consoldate")[0]).toBe("consolidate");
});

/** What a newcomer types, and what would do it. */
const TASKS: readonly (readonly [string, ...string[]])[] = [
  ["make this track audio", "freeze", "bounce", "commit"],
  ["turn midi into audio", "freeze", "bounce", "commit"],
  ["render this track", "bounce", "freeze", "slip"],
  ["bounce the whole song", "print-mix"],
  ["export the song as a wav", "print-mix"],
  ["mixdown", "print-mix"],
  ["only hear the drums", "solo"],
  ["listen to just this track", "solo"],
  ["hear everything again", "solo-none"],
  ["unsolo", "solo-none"],
  ["silence this track", "mute"],
  ["turn this track off", "mute", "park"],
  ["glue these together", "consolidate"],
  ["merge clips", "consolidate"],
  ["join the regions into one file", "consolidate"],
  ["send it to my mixer", "go-Handoff"],
  ["share a link", "go-Handoff"],
  ["send files to the mastering engineer", "go-Handoff"],
  ["make a zip for the client", "go-Handoff"],
  ["export stems", "export", "go-Stems"],
  ["all tracks as separate files", "export", "go-Stems"],
  ["multitrack export", "export", "go-Stems"],
  ["save cpu", "freeze"],
  ["computer is too slow", "freeze"],
  ["undo the freeze", "unfreeze"],
  ["edit a frozen track", "unfreeze"],
  ["get the original back", "unfreeze", "unpark", "history", "undo"],
  ["cut the clip here", "clip-cut-here", "range-cut"],
  ["chop at the hits", "clip-slice"],
  ["slice at transients", "clip-slice"],
  ["fade one clip into the next", "clip-crossfade"],
  ["copy this clip again", "clip-duplicate", "clip-repeat", "clip-copy"],
  ["repeat the clip four times", "clip-repeat"],
  ["delete the clip", "clip-remove"],
  ["remove this track", "track-remove"],
  ["loop this part", "loop", "range-mark"],
  ["play this section over and over", "loop", "range-mark"],
  ["stop looping", "unmark", "loop"],
  ["go back to the start", "to-start"],
  ["play", "play"],
  ["add a marker", "marker-add"],
  ["name this section", "range-save", "marker-add"],
  ["add an effect bus", "add-return"],
  ["add a new audio track", "add-audio"],
  ["new synth track", "add-instrument"],
  ["put tracks in a folder", "track-group"],
  ["hide tracks", "hide"],
  ["import a wav", "bring-in"],
  ["open a midi file", "bring-in"],
  ["open a session from another program", "take-in"],
  ["check these stems for mistakes", "take-in"],
  ["find missing files", "supply"],
  ["go back to an earlier version", "history"],
  ["save a version", "name-version"],
  ["how loud is it", "loudness"],
  ["check lufs", "loudness"],
  ["dark mode", "theme"],
  ["keyboard shortcuts", "keys"],
  ["zoom to what is selected", "look"],
  ["see the whole song", "fit"],
  ["make tracks bigger", "rows", "row"],
  ["draw volume automation", "automation"],
  ["edit the notes", "notes"],
  ["is the delivery right", "go-Proof"],
  ["check the export", "go-Proof"],
  ["print again", "print-again"],
  ["where are my old bounces", "shelf", "go-Shelf", "results"],
];

describe("a newcomer's words", () => {
  test(`lead to the action among the first three, in at least 57 of each 60 of ${TASKS.length} tasks`, () => {
    const missed = TASKS.flatMap(([task, ...right]) => {
      const first = found(task).slice(0, 3);
      return first.some((id) => right.includes(id)) ? [] : [`${task}: ${first.join(", ")}`];
    });
    expect(missed.length / TASKS.length, missed.join("\n")).toBeLessThanOrEqual(3 / 60);
  });
});
