import { sayReason } from "../words/reasons";
import { sayWarning } from "../words/warnings";
import { expect } from "vitest";
import type { AudioLibrary } from "../engine/library";
import { MemorySink, MemorySource } from "../formats/bytes/bytes";
import { WavReader } from "../formats/wav/read";
import { WavWriter } from "../formats/wav/write";
import { PieceCutter } from "../printing/cut";
import { sayRefusals } from "../words/refusals";
import { planPrint } from "../printing/plan";
import type { PrintPlan, Printed } from "../printing/print";
import { writeLoop } from "../printing/seam";
import type { Slip } from "../printing/slip";
import { printStep } from "../printing/step";
import type { Session } from "../session/document";
import { applyStep } from "../session/edits";
import type { Heard } from "./listen";
import { hashOf, joined, listen, memoryLibrary } from "./listen";
import { recordings } from "./random-session";

/** Prints made in tests are numbered from here; recordings come before. */
const FIRST_PRINT = 900;

export const counter = (prefix = "new") => {
  let n = 0;
  return () => `${prefix}-${n++}`;
};

export const planned = (session: Session, slip: Slip): PrintPlan => {
  const plan = planPrint(session, slip);
  if (!plan.ok) throw new Error(sayRefusals(plan.refusals));
  return plan.value;
};

/** Carries a plan out in memory, all files in one pass, as the render process does on disk. */
export function carryOut(
  plan: PrintPlan,
  library: AudioLibrary = recordings,
  first = FIRST_PRINT,
): { readonly printed: readonly Printed[]; readonly heard: readonly Heard[] } {
  const { seam } = plan.slip;
  const lead = seam.by === "crossfade" ? seam.frames : 0;
  const from = Math.max(0, Math.min(...plan.files.map((f) => f.from)) - lead);
  const parts = plan.files.map(() => ({ left: [] as Float32Array[], right: [] as Float32Array[] }));
  const cutters = plan.files.map(
    (file, i) =>
      new PieceCutter(
        from,
        { from: file.from - lead, to: file.to },
        plan.tail,
        plan.session.rate,
        (l, r, offset, count) => {
          parts[i]?.left.push(l.slice(offset, offset + count));
          parts[i]?.right.push(r.slice(offset, offset + count));
        },
      ),
  );
  const whole = listen(
    plan.session,
    plan.files.map((f) => f.tap),
    {
      library,
      from,
      to: Math.max(...plan.files.map((f) => f.to)),
      tail: plan.tail,
      ...(plan.endAt === null ? {} : { endAt: plan.endAt }),
    },
  );
  // In odd pieces, which must not matter.
  whole.forEach((h, i) => {
    // What is as long as the others ends with the pass.
    if (plan.files[i]?.even) {
      parts[i]?.left.push(h.left);
      parts[i]?.right.push(h.right);
      return;
    }
    for (let at = 0; at < h.left.length; at += 777)
      cutters[i]?.sink(h.left, h.right, at, Math.min(777, h.left.length - at));
  });
  const cut = parts.map((p) => ({ left: joined(p.left), right: joined(p.right) }));
  const kept = cut.map((h, i) => asWritten(plan.slip.channels === "mono" ? mono(h) : h, plan.slip.depth, i));
  const heard =
    seam.by === "none"
      ? kept
      : kept.map((h, i) => looped(h, (plan.files[i]?.to ?? 0) - (plan.files[i]?.from ?? 0), lead));
  return {
    heard,
    printed: plan.files.map((file, i): Printed => ({
      file,
      asset: {
        id: hashOf(first + i),
        name: file.name,
        frames: heard[i]?.left.length ?? 0,
        rate: plan.session.rate,
        channels: 2,
        origin: "printed",
      },
    })),
  };
}

const mono = ({ left, right }: Heard): Heard => {
  const middle = left.map((v, i) => (v + (right[i] as number)) / 2);
  return { left: middle, right: middle };
};

/** As it comes back from a file of that depth. */
function asWritten({ left, right }: Heard, depth: Slip["depth"], seed: number): Heard {
  if (depth === "32f") return { left, right };
  const sink = new MemorySink();
  const writer = new WavWriter(sink, { format: { rate: 48000, channels: 2, depth }, bext: null, ditherSeed: seed });
  writer.write(left, right, 0, left.length);
  writer.finish();
  const back = { left: new Float32Array(left.length), right: new Float32Array(left.length) };
  WavReader.open(new MemorySource(sink.bytes())).read(0, left.length, back.left, back.right, 0);
  return back;
}

/** A recording made into a loop, in memory. */
export function looped(
  h: Heard,
  frames: number,
  lead: number,
  rate: { readonly from: number; readonly to: number } | null = null,
): Heard {
  const out = { left: [] as Float32Array[], right: [] as Float32Array[] };
  const read = (from: number, count: number, left: Float32Array, right: Float32Array, offset: number) => {
    left.set(h.left.subarray(from, from + count), offset);
    right.set(h.right.subarray(from, from + count), offset);
  };
  writeLoop(
    { frames: h.left.length, read },
    frames,
    lead,
    (l, r, offset, count) => {
      out.left.push(l.slice(offset, offset + count));
      out.right.push(r.slice(offset, offset + count));
    },
    rate,
  );
  return { left: joined(out.left), right: joined(out.right) };
}

/** A library that also finds prints that were carried out in memory. */
export function withPrints(
  heard: readonly Heard[],
  library: AudioLibrary = recordings,
  first = FIRST_PRINT,
): AudioLibrary {
  const prints = memoryLibrary(Object.fromEntries(heard.map((h, i) => [hashOf(first + i), h])));
  return (hash, reshape) => {
    const n = Number.parseInt(hash.slice(-4), 16);
    return n >= first && n < first + heard.length ? prints(hash, reshape) : library(hash, reshape);
  };
}

/**
 * The session with a print in it, and what finds its audio. Undoing the step has to give back the session as it was,
 * which is checked.
 */
export function after(
  session: Session,
  plan: PrintPlan,
): { readonly session: Session; readonly library: AudioLibrary; readonly heard: readonly Heard[] } {
  const { printed, heard } = carryOut(plan);
  const done = applyStep(session, printStep(session, plan, printed, counter()));
  if (!done.ok) throw new Error(done.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
  const back = applyStep(done.value.session, done.value.inverse);
  expect(back.ok && back.value.session).toEqual(session);
  return { session: done.value.session, library: withPrints(heard), heard };
}

/** Why a plan says that the print does not sound as its source; null where it says nothing of the kind. */
export const whyDiffers = ({ differs }: Pick<PrintPlan, "differs">): string | null => differs && sayReason(differs);

/** What a plan warns of, in words, with what mends it. */
export const warned = ({ warnings }: Pick<PrintPlan, "warnings">) =>
  warnings.map((w) => ({ ...sayWarning(w), mend: w.mend }));
