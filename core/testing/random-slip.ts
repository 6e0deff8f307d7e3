import { sayReason } from "../words/reasons";
import fc from "fast-check";
import { sessionEnd } from "../engine/render";
import type { Session } from "../session/document";
import { planPrint } from "../printing/plan";
import type { Slip } from "../printing/slip";
import { fitted, plainSlip } from "../printing/slip";
import { MIX_OUT, differenceDb, listen } from "./listen";
import { after } from "./print";
import { recordings } from "./random-session";

type SlipParts = Omit<Partial<Slip>, "before"> & {
  readonly picks: readonly number[];
  readonly chosen: number | null;
  /** In front of which device of any track, if any: then of that track alone. */
  readonly before: number | null;
};

/** Parts of slips of every shape whose print takes its source's place. */
export const randomSlips: fc.Arbitrary<SlipParts> = fc.record({
  tap: fc.constantFrom("clip" as const, "devices" as const, "devices" as const, "channel" as const, "group" as const),
  before: fc.oneof({ weight: 5, arbitrary: fc.constant(null) }, { weight: 1, arbitrary: fc.nat(20) }),
  linked: fc.boolean(),
  returns: fc.boolean(),
  automation: fc.oneof(
    { weight: 3, arbitrary: fc.constantFrom("in" as const, "in" as const, "out" as const) },
    {
      weight: 1,
      arbitrary: fc.subarray(["fader" as const, "pan" as const, "mute" as const, "send" as const, "param" as const]),
    },
  ),
  pieces: fc.constantFrom("one piece" as const, "one piece" as const, "each run" as const, "each clip" as const),
  together: fc.boolean(),
  placed: fc.constantFrom("new track" as const, "new track" as const, "same track" as const),
  afterwards: fc.constantFrom("park" as const, "replace" as const),
  range: fc.oneof(
    { weight: 5, arbitrary: fc.constantFrom<Slip["range"]>({ by: "zero" }, { by: "own" }) },
    {
      weight: 1,
      arbitrary: fc
        .tuple(fc.nat(40_000), fc.integer({ min: 1000, max: 40_000 }))
        .map(([from, frames]): Slip["range"] => ({ by: "stretch", from, to: from + frames })),
    },
  ),
  tail: fc.oneof(
    {
      weight: 9,
      arbitrary: fc.constantFrom("measured" as const, "measured" as const, "measured" as const, "none" as const),
    },
    {
      weight: 1,
      arbitrary: fc.record({
        by: fc.constantFrom("beats" as const, "seconds" as const),
        length: fc.double({ min: 0.01, max: 2, noNaN: true }),
      }),
    },
  ),
  also: fc.oneof(
    { weight: 3, arbitrary: fc.constant([]) },
    {
      weight: 1,
      arbitrary: fc.array(
        fc.record({
          tap: fc.constantFrom(
            "clip" as const,
            "devices" as const,
            "channel" as const,
            "group" as const,
            "mix" as const,
          ),
          before: fc.constant(null),
        }),
        { maxLength: 2 },
      ),
    },
  ),
  depth: fc.constantFrom("32f" as const, "32f" as const, "32f" as const, "24" as const),
  channels: fc.constantFrom(
    "as the source" as const,
    "as the source" as const,
    "as the source" as const,
    "mono" as const,
  ),
  picks: fc.oneof(
    { weight: 3, arbitrary: fc.array(fc.nat(7), { minLength: 1, maxLength: 1 }) },
    { weight: 2, arbitrary: fc.array(fc.nat(7), { minLength: 2, maxLength: 3 }) },
  ),
  /** Only this clip of each track, if any. */
  chosen: fc.oneof({ weight: 5, arbitrary: fc.constant(null) }, { weight: 1, arbitrary: fc.nat(3) }),
});

/**
 * What a random slip came to: refused by the plan, or the plan's word held against the residual of the mix before and
 * after.
 */
export type SlipOutcome =
  | { readonly kind: "refused" }
  | {
      readonly kind: "same" | "may differ" | "different";
      readonly slip: Slip;
      readonly why: string | null;
      readonly residueDb: number;
    };

/** The slip that some parts make of a session; null where it has nothing to print. */
export function slipFrom(session: Session, { picks, chosen, before, ...parts }: SlipParts): Slip | null {
  const able = session.tracks.filter(
    (t) => t.kind === "audio" || (parts.tap !== "clip" && (t.kind === "instrument" || t.kind === "group")),
  );
  if (able.length === 0) return null;
  const places = session.tracks.flatMap((t) =>
    t.kind === "audio" || t.kind === "instrument" || t.kind === "group"
      ? t.devices.slice(t.kind === "group" ? 0 : 1).map((d) => ({ track: t.id, device: d.id }))
      : [],
  );
  const place = before === null ? undefined : places[before % Math.max(1, places.length)];
  const tracks = place ? [place.track] : [...new Set(picks.map((p) => able[p % able.length]?.id ?? ""))];
  const clips = tracks.flatMap((id) => {
    const own = session.tracks.find((t) => t.id === id)?.clips ?? [];
    return chosen === null ? [] : (own[chosen % Math.max(1, own.length)]?.id ?? []);
  });
  const slip = fitted(
    {
      ...plainSlip(tracks),
      ...parts,
      ...(place ? { tap: "devices" as const, before: place.device } : {}),
      clips: clips.length > 0 ? clips : null,
    },
    session,
  );
  return slip.placed === "same track" ? { ...slip, afterwards: "replace", together: false } : slip;
}

/** Prints, puts the print in its source's place, and plays the mix before and after. */
export function tryOut(session: Session, slip: Slip): SlipOutcome {
  const plan = planPrint(session, slip);
  if (!plan.ok) return { kind: "refused" };
  const made = after(session, plan.value);
  const to = Math.max(sessionEnd(session), sessionEnd(made.session)) + 24_000;
  const play = (s: Session, library = recordings) => listen(s, [MIX_OUT], { library, to, tail: "none" })[0];
  const [before, now] = [play(session), play(made.session, made.library)];
  if (!before || !now) throw new Error("nothing was rendered");
  return {
    kind: plan.value.differs === null ? "same" : plan.value.certain ? "different" : "may differ",
    slip,
    why: plan.value.differs && sayReason(plan.value.differs),
    residueDb: differenceDb(before, now),
  };
}
