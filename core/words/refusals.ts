import type { Planned, Refusal, Why, WhyOf } from "../printing/refusals";
import type { Checked, Problem } from "../session/problem";
import { sayTooLong } from "./limits";

/** A sentence for each reason, without a full stop. */
const sentences: { readonly [K in Why["kind"]]: (why: WhyOf<K>) => string } = {
  "no such track": () => "there is no such track",
  "track gone": () => "a track of the slip is not in the session any more",
  parked: () => "the track is parked: unpark it first",
  "nothing on the track": () => "there is nothing on the track",
  "no clips": () => "there are no clips on it",
  "notes before the instrument": () => "notes have no sound before their instrument: print the track after its devices",
  "instrument absent": ({ instrument }) =>
    `its instrument "${instrument}" is not installed here: the print would be silent`,
  "real time only": ({ device, track }) => `"${device}" on ${track} works in real time only: print it in real time`,
  "real time on the way": ({ device }) => `"${device}" on it works in real time only, so it cannot be rendered ahead`,
  "only sources freeze": () => "only audio and instrument tracks freeze",
  "mix at its end alone": () => "the mix is printed at its end, or in front of its chain",
  "one track between devices": () => "a tap between devices takes one track at a time",
  "device tap at a channel": () => "only a tap at the devices can stand in front of a device",
  "device gone": () => "the device that the tap stands in front of is not on it any more",
  "before the instrument": () => "there is no sound in front of its instrument",
  "devices twice": () =>
    "on its own track the print would go through the devices a second time: print it at the clips, or on a new track",
  "together on one track": () => "several tracks printed together have no one track of their own",
  "same track keeps clips": () => "on the same track a print takes the place of its clips: choose to replace them",
  "other rate on a track": () => "tracks play audio at the session's rate: print another rate onto the shelf",
  "two mono on a track": () => "a track plays one file at a time: print two mono files onto the shelf",
  "no pad with room": () => "choose a pad of a kit that has room for another layer",
  "kit parked with its print": () =>
    "the kit itself would be parked with what is printed from it: keep the source live",
  "too few pads": ({ files, room }) => `each of ${files} files needs a pad, and from there on ${room} have room`,
  "range ends before it begins": () => "the range ends before it begins",
  "nothing in the range": () => "there is nothing in the range",
  "nothing to print": () => "there is nothing to print",
  "too long": ({ hours }) => sayTooLong(hours),
  "loop without a range": () => "a loop needs a range: choose one or mark one",
  "too little before the loop": () => "there is too little sound before the range to crossfade into",
  "crossfade longer than the loop": () => "the crossfade is longer than the loop",
  "no such kit": () => "there is no such kit on it",
  "pad empty": () => "there is nothing on the pad",
  "one layer": () => "the pad has one layer already",
  "too many layers": ({ sounds, most }) =>
    `its velocities make ${sounds} different sounds, and a pad holds ${most}: merge them into one for all velocities`,
  "phrase not placed": () => "the phrase is not placed on it",
  "parameter moves": ({ parameter }) =>
    `${parameter} moves along the timeline, so each placement sounds different: leave the automation out, or print the whole track`,
  "phrase before its devices": () =>
    "a phrase is printed after its devices, so that each placement keeps its fader and sends",
  "merged pad": () => "a merged pad has no layers left to print again: reopen it",
  "source replaced": () => "the print replaced its source: reopen it",
  "source gone": () => "its source is gone: reopen it",
  "not frozen": () => "the track is not frozen",
  "stale freeze": () => "the frozen audio is stale: freeze it again first",
  "frozen audio gone": () => "its frozen audio is not in the session",
  "nothing sounds": () => "no track of the session sounds, so there is nothing to deliver",
  "nothing ticked": () =>
    "no stem is ticked, and neither a mix nor a session file is chosen: there is nothing to deliver",
};

/** Why something cannot be printed or frozen, in a sentence without a full stop. */
export const sayWhy = <K extends Why["kind"]>(why: WhyOf<K>): string =>
  (sentences[why.kind as K] as (why: WhyOf<K>) => string)(why);

/** Refusals as problems of a document. `whole`: where one stands that is of no track. */
const problemsOf = (refusals: readonly Refusal[], whole: string): readonly Problem[] =>
  refusals.map(({ track, why }) => ({ where: track ?? whole, what: sayWhy(why) }));

/** What was planned, with its refusals in words. */
export const sayPlanned = <T>(planned: Planned<T>, whole = "slip"): Checked<T> =>
  planned.ok ? planned : { ok: false, problems: problemsOf(planned.refusals, whole) };

/** All refusals as one text, a sentence each. `between`: what stands between two. */
export const sayRefusals = (refusals: readonly Refusal[], between = ". "): string =>
  refusals.map(({ track, why }) => `${track === null ? "" : `${track}: `}${sayWhy(why)}`).join(between);
