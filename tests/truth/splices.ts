import { randomUUID } from "node:crypto";
import { readFileSync, rmSync } from "node:fs";
import fc from "fast-check";
import { RenderCancelled, sessionEnd } from "../../core/engine/render";
import type { Tap } from "../../core/engine/tap";
import { MIX_AFTER, MIX_BEFORE } from "../../core/engine/tap";
import type { Session } from "../../core/session/document";
import { edited, placedEdits, randomEdits, tapsInBoth, withLateTracks } from "../../core/testing/random-edit";
import type { RandomEdit } from "../../core/testing/random-edit";
import { randomSessions } from "../../core/testing/random-session";
import type { OutputFile } from "../../worker/files/output-file";
import { laneOf, sampleOrder } from "../../worker/render/splice";
import type { Workshop } from "./deliveries";

/** A pass of several files, made again after edits. */
export interface FixedPass {
  readonly session: Session;
  readonly edits: readonly RandomEdit[];
  readonly late: boolean;
  readonly linked: boolean;
  readonly rate: number | null;
  readonly depth: "16" | "24" | "32f";
  readonly dither: boolean;
  readonly foldMono: boolean;
  readonly lead: number;
  /** Part of the session at which the pass begins. */
  readonly from: number;
  readonly tail: "measured" | "none" | "whole";
  /** Each file is a piece of its own. */
  readonly pieces: boolean;
  /** Threads of the first pass and of the next. */
  readonly threads: readonly [number, number];
  /** Only these of the files are made again: every how manyth. */
  readonly some: number;
}

export const fixedPasses: fc.Arbitrary<FixedPass> = fc
  .record({
    session: randomSessions({ above: "linkable" }),
    edits: fc.oneof({ weight: 4, arbitrary: placedEdits }, { weight: 1, arbitrary: randomEdits }),
    late: fc.constantFrom(true, true, true, false),
    linked: fc.boolean(),
    rate: fc.constantFrom(null, null, 44100, 96000, 37800),
    depth: fc.constantFrom<FixedPass["depth"]>("16", "24", "24", "32f"),
    dither: fc.boolean(),
    foldMono: fc.boolean(),
    lead: fc.constantFrom(0, 0, 777),
    from: fc.constantFrom(0, 0, 0, 0.2),
    tail: fc.constantFrom<FixedPass["tail"]>("measured", "whole", "none"),
    pieces: fc.boolean(),
    threads: fc.tuple(fc.integer({ min: 1, max: 4 }), fc.integer({ min: 1, max: 4 })),
    some: fc.constantFrom(1, 1, 2, 3),
  })
  .filter((how) => beforeAndAfter(how) !== null);

/** The session before and after the edits; null where one of them cannot be made. */
function beforeAndAfter({ session, late, edits }: Pick<FixedPass, "session" | "late" | "edits">) {
  const drawn = late ? withLateTracks(session, 30_000) : session;
  const own = drawn.tracks.filter((t) => t.kind === "audio" || t.kind === "instrument").length;
  // Of tracks that begin late, so that something before them stays as it was.
  const after = edited(
    drawn,
    edits.map((e) => (late && own > 1 ? { ...e, which: 1 + (e.which % (own - 1)) } : e)),
  );
  return after && { drawn, after };
}

/** What became of a pass after edits. */
export interface Fixed {
  readonly files: number;
  /** Whether it went on from a checkpoint. */
  readonly spliced: boolean;
  /** Taps of the files that are not those of a whole pass, with what was measured of them. */
  readonly different: readonly Tap[];
}

/**
 * Renders a pass, keeps it, edits the session, and renders the pass again: from a checkpoint where there is one, and
 * whole. Null where the edits cannot be made or a device breaks.
 */
export async function fixPass(workshop: Workshop, how: FixedPass): Promise<Fixed | null> {
  const made = beforeAndAfter(how);
  if (!made) return null;
  const { drawn, after } = made;
  // Whole paths, and shares of groups, returns and the mix.
  const taps = [...tapsInBoth(drawn, after), MIX_BEFORE, MIX_AFTER].map((tap, i): Tap =>
    tap.kind === "path" && i % 3 !== 0
      ? { ...tap, at: i % 3 === 1 ? "group" : "mix", linked: how.linked, returns: true }
      : tap,
  );
  const [first, second] = [workshop.real(drawn), workshop.real(after)];
  const lane = laneOf("stems", randomUUID());
  const kept: string[] = [];
  const pass = async (session: Session, some: readonly Tap[], threads: number, ordered: boolean) => {
    const end = sessionEnd(session);
    const from = Math.floor(end * how.from);
    const files = some.map((tap): OutputFile => {
      const index = taps.indexOf(tap);
      const file: Omit<OutputFile, "path"> = {
        ...{ tap, foldMono: how.foldMono, leadFrames: how.pieces ? 0 : how.lead },
        format: { rate: how.rate ?? session.rate, channels: 2, depth: how.depth },
        ditherSeed: how.dither && how.depth !== "32f" ? 7 + index : null,
        bext: {
          ...{ description: "", originator: "", originatorReference: "", originationDate: "", originationTime: "" },
          ...{ timeReference: 0, loudness: null },
        },
        ...(how.pieces ? { cut: { from: from + 100 * index, to: end - 3000 * (index % 3) } } : {}),
      };
      return {
        ...file,
        path: workshop.store.unfinished(),
        ...(ordered ? sampleOrder(file, { from }) : {}),
      };
    });
    const written = await workshop.pool.render(
      { kind: "render", session, files, from, to: end, tail: how.tail, lane, dataRoot: workshop.dataRoot },
      threads,
      { signal: new AbortController().signal },
    );
    return written.map(({ path, since, sha256, measures, overview, frames }) => {
      const bytes = readFileSync(path).toString("base64");
      return { path, since, is: [bytes, sha256, measures, Buffer.from(overview).toString("hex"), frames] };
    });
  };
  try {
    for (const { path } of await pass(first, taps, how.threads[0], true)) kept.push(await workshop.store.adopt(path));
    const some = taps.filter((_, i) => i % how.some === 0);
    const again = await pass(second, some, how.threads[1], true);
    const whole = await pass(second, some, 1, false);
    const different = some.filter((_, i) => JSON.stringify(again[i]?.is) !== JSON.stringify(whole[i]?.is));
    for (const { path } of [...again, ...whole]) rmSync(path, { force: true });
    return { files: some.length, spliced: again.some((f) => f.since !== undefined), different };
  } catch (error) {
    if (error instanceof RenderCancelled) return null;
    throw error;
  } finally {
    for (const hash of kept) rmSync(workshop.store.path(hash), { force: true });
  }
}
