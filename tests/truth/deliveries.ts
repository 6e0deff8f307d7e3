import { mkdtempSync, readFileSync, renameSync, rmSync, statSync } from "node:fs";
import { createHash } from "node:crypto";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { convertedFrame } from "../../core/analysis/resample";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import type { Proof } from "../../core/proof/proof";
import { emptySheet } from "../../core/session/build";
import type { Session, Sheet, StemRow } from "../../core/session/document";
import type { ExportPlan } from "../../core/delivery/plan";
import { planExport } from "../../core/delivery/plan";
import type { Manifest } from "../../core/delivery/manifest";
import { hashOf, noise } from "../../core/testing/listen";
import { randomRows, rowsThatCover } from "../../core/testing/random-rows";
import { randomSessions } from "../../core/testing/random-session";
import { FileSink } from "../../server/audio/file-bytes";
import { AudioStore } from "../../server/audio/store";
import { openPackage } from "../../server/packages/read";
import { writePackage } from "../../server/packages/write";
import type { EarlierPackage, MadePackage } from "../../worker/delivery/order";
import { makePackage } from "../../worker/delivery/make-package";
import { provePackage } from "../../worker/delivery/prove-package";
import type { ThreadPool } from "../../worker/threads/threads";

type Depth = Sheet["depth"];

/** A store with the three recordings that random sessions are made of. */
export class Workshop {
  readonly dataRoot = mkdtempSync(join(tmpdir(), "stemzo-truth-"));
  readonly store = new AudioStore(this.dataRoot);
  private readonly hashes: string[] = [];

  constructor(readonly pool: ThreadPool) {}

  async prepare(): Promise<void> {
    await this.store.prepare(true);
    for (const [seed, level] of [
      [1, 0.25],
      [5, 0.25],
      [9, 0.9],
    ] as const) {
      const path = this.store.unfinished();
      writeFloats(path, noise(48000, seed, level), 48000);
      const sha256 = createHash("sha256").update(readFileSync(path)).digest("hex");
      this.hashes.push(await this.store.adopt(path, sha256));
    }
  }

  /** A session of the generator's with the store's audio in place of its stand-ins. */
  real(session: Session): Session {
    return JSON.parse(
      this.hashes.reduce((text, hash, i) => text.replaceAll(hashOf(i + 1), hash), JSON.stringify(session)),
    ) as Session;
  }

  async close(): Promise<void> {
    await this.pool.close();
    rmSync(this.dataRoot, { recursive: true, force: true });
  }
}

export function writeFloats(
  path: string,
  { left, right }: { readonly left: Float32Array; readonly right: Float32Array },
  rate: number,
): void {
  const sink = new FileSink(path);
  const writer = new WavWriter(sink, { format: { rate, channels: 2, depth: "32f" }, bext: null, ditherSeed: null });
  writer.write(left, right, 0, left.length);
  writer.finish();
  sink.close();
}

/**
 * A delivery to be made: a session with its sheet, and on how many threads. `covers`: its rows hold every track once.
 */
export interface Order {
  readonly session: Session;
  readonly threads: number;
  readonly covers: boolean;
}

/**
 * Deliveries of every shape: rows that overlap or cover, ranges short and long, all rates and depths, one to four
 * threads.
 */
export const randomOrders: fc.Arbitrary<Order> = fc
  .record({
    session: randomSessions({ above: "linkable" }),
    rows: fc.oneof(
      randomRows.map((shapes) => ({ shapes, parts: null, returns: false })),
      fc.record({
        shapes: fc.constant(null),
        parts: fc.array(fc.nat(3), { minLength: 8, maxLength: 8 }),
        returns: fc.boolean(),
      }),
    ),
    from: fc.option(fc.nat(1500), { freq: 1 }),
    ticks: fc.option(fc.integer({ min: 20, max: 2200 }), { freq: 2 }),
    tail: fc.constantFrom<Sheet["tail"]>("measured", "measured", "none", "fixed", "beats"),
    tailSeconds: fc.constantFrom(0, 0.25, 1.3),
    tailBeats: fc.constantFrom(0, 0.5, 3),
    ends: fc.constantFrom<Sheet["ends"]>("equal", "equal", "trimmed"),
    leadInBars: fc.constantFrom(0, 0, 1, 2),
    format: fc.constantFrom<Sheet["format"]>("wav", "wav", "aiff", "flac"),
    mixes: fc.constantFrom<Sheet["mixes"]>(
      ["after its chain"],
      ["after its chain"],
      ["after its chain", "before its chain"],
      [],
    ),
    mixFormat: fc.constantFrom<Sheet["mixFormat"]>("as the stems", "as the stems", "mp3"),
    channels: fc.constantFrom<StemRow["channels"]>("as it is", "as it is", "stereo", "mono", "two mono"),
    throughMix: fc.boolean(),
    rate: fc.constantFrom(null, null, 44100 as const, 96000 as const, 88200 as const),
    depth: fc.constantFrom<Depth>("16", "24", "32f"),
    dither: fc.boolean(),
    threads: fc.integer({ min: 1, max: 4 }),
  })
  .map(({ session, rows, from, ticks, threads, channels, throughMix, ...sheet }): Order => {
    const able = session.tracks.filter((t) => t.kind !== "mix");
    const shaped =
      rows.shapes?.map((r) => ({
        sources: [...new Set(r.picks.map((p) => able[p % able.length]?.id ?? ""))],
        tap: r.at,
        returns: r.returns,
        linked: r.linked,
      })) ??
      rowsThatCover(session, rows.parts ?? [], rows.returns).flatMap((t) =>
        t.kind === "path" && (t.at === "group" || t.at === "channel")
          ? [{ sources: [...t.sources], tap: throughMix ? "mix" : t.at, returns: t.returns, linked: t.linked }]
          : [],
      );
    return {
      session: {
        ...session,
        sheet: {
          ...emptySheet,
          ...sheet,
          rows: shaped.map((r, i) => ({ id: `r${i}`, name: `Stem ${i}`, channels, ticked: true, ...r })),
          from,
          to: ticks === null ? null : (from ?? 0) + ticks,
        },
      },
      threads,
      covers: rows.shapes === null && channels !== "mono",
    };
  });

/** The order with files that can be spoilt sample by sample: WAVs, whole, of one length. */
export const inPlainFiles = (session: Session): Session => ({
  ...session,
  sheet: {
    ...session.sheet,
    format: "wav",
    mixFormat: "as the stems",
    ends: "equal",
    rows: session.sheet.rows.map((r) => ({ ...r, channels: "as it is" })),
  },
});

const never = new AbortController().signal;
const DATE = new Date("2026-02-03T04:05:06Z");

export interface Delivered {
  readonly plan: ExportPlan;
  readonly made: MadePackage;
}

/** Makes the package of an order; null where there is nothing in its range. */
export async function deliver(
  { pool, store, dataRoot }: Workshop,
  session: Session,
  threads: number,
  earlier: EarlierPackage | null = null,
): Promise<Delivered | null> {
  const planned = planExport(session, DATE);
  if (!planned.ok) return null;
  const made = await makePackage(
    {
      ...{ session, id: "truth", revision: 1, plan: planned.value, date: DATE, dataRoot, earlier },
      bundle: { prints: [], recipes: [], handoffs: [] },
    },
    { store, pool, threads, signal: never, report: () => undefined },
  );
  return { plan: planned.value, made };
}

export const prove = ({ pool, dataRoot }: Workshop, session: Session, { plan, made }: Delivered): Promise<Proof> =>
  provePackage({ session, plan, zipPath: made.zipPath, wholePath: made.whole?.path ?? null, dataRoot }, pool, {
    signal: never,
  });

export function discard({ made }: Delivered): void {
  for (const path of [made.zipPath, ...(made.whole ? [made.whole.path] : [])]) rmSync(path, { force: true });
}

/** What a proof calls wrong: the check and the file. */
export const wrongOf = ({ verdict, files }: Proof): readonly string[] => [
  ...verdict.checks.flatMap((c) =>
    c.cells.flatMap((cell, i) => (cell.mark === "wrong" ? [`${c.id} of ${files[i]?.name ?? "?"}: ${cell.text}`] : [])),
  ),
  ...(verdict.sum.mark === "wrong" ? [`sum: ${verdict.sum.text}`] : []),
];

/**
 * Largest difference between a range's files and the same frames of the files of the whole, both float and without
 * tails; null where the order is none of that.
 */
export async function rangeAgainstWhole(workshop: Workshop, session: Session): Promise<number | null> {
  const plain = { format: "wav", mixFormat: "as the stems", ends: "equal", leadInBars: 0 } as const;
  const cut: Session = { ...session, sheet: { ...session.sheet, ...plain, tail: "none", depth: "32f" } };
  const all: Session = { ...cut, sheet: { ...cut.sheet, from: null, to: null } };
  const [range, whole] = [await deliver(workshop, cut, 2), await deliver(workshop, all, 1)];
  try {
    if (!range || !whole || range.plan.to > whole.plan.to) return null;
    const first = convertedFrame(range.plan.from, session.rate, range.plan.rate);
    const [a, b] = [await openPackage(range.made.zipPath), await openPackage(whole.made.zipPath)];
    let worst = 0;
    for (const { name } of range.made.manifest.files) {
      const [x, y] = [a, b].map((p) => samplesOf(p.entries.get(name)?.source));
      if (!x || !y) throw new Error(`${name} is missing`);
      for (const c of ["left", "right"] as const)
        x[c].forEach((v, i) => {
          worst = Math.max(worst, Math.abs(v - (y[c][first + i] ?? 0)));
        });
    }
    a.close();
    b.close();
    return worst;
  } finally {
    for (const d of [range, whole]) if (d) discard(d);
  }
}

function samplesOf(source: Parameters<typeof WavReader.open>[0] | undefined) {
  if (!source) return null;
  const wav = WavReader.open(source);
  const left = new Float32Array(wav.frames),
    right = new Float32Array(wav.frames);
  wav.read(0, wav.frames, left, right, 0);
  return { wav, left, right };
}

/** Ways in which a finished package is spoilt, each in one file. */
export const FAULTS = [
  "a track removed",
  "gained by 0.1 dB",
  "shifted by a frame",
  "channels swapped",
  "clipped",
  "a wrong range",
] as const;
export type FaultKind = (typeof FAULTS)[number];

/**
 * Spoils one file of a package, hash and all, as a fault of its maker would. Answers with the file's name; null
 * where the fault cannot show in this package.
 */
export async function spoil(
  workshop: Workshop,
  session: Session,
  delivered: Delivered,
  kind: FaultKind,
): Promise<string | null> {
  const { made, plan } = delivered;
  const folder = mkdtempSync(join(workshop.dataRoot, "spoil-"));
  const opened = await openPackage(made.zipPath);
  try {
    const files = made.manifest.files.map((f) => ({
      name: f.name,
      ...(samplesOf(opened.entries.get(f.name)?.source) ?? fail(f.name)),
    }));
    const loud = (x: Float32Array) => x.some((v) => Math.abs(v) > 0.02);
    const victim = files.find((f) => loud(f.left) && (kind !== "channels swapped" || f.wav.channels === 2));
    if (!victim) return null;
    let [left, right]: readonly [Float32Array, Float32Array] = [victim.left, victim.right];
    if (kind === "gained by 0.1 dB")
      [left, right] = [left, right].map((x) => x.map((v) => v * 10 ** (0.1 / 20))) as [Float32Array, Float32Array];
    else if (kind === "shifted by a frame")
      [left, right] = [left, right].map((x) => x.map((_, i) => x[i - 1] ?? 0)) as [Float32Array, Float32Array];
    else if (kind === "channels swapped") [left, right] = [right, left];
    else if (kind === "clipped") {
      const peak = 0.7 * left.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
      [left, right] = [left, right].map((x) => x.map((v) => Math.max(-peak, Math.min(peak, v)))) as [
        Float32Array,
        Float32Array,
      ];
    } else {
      const other =
        kind === "a wrong range"
          ? {
              ...session,
              sheet: {
                ...session.sheet,
                from: (session.sheet.from ?? 0) + 60,
                to: session.sheet.to === null ? null : session.sheet.to + 60,
              },
            }
          : withoutOne(session, victim.name, plan);
      const elsewhere = other && (await deliver(workshop, other, 1));
      if (!elsewhere) return null;
      const package2 = await openPackage(elsewhere.made.zipPath);
      const wrong = samplesOf(package2.entries.get(victim.name)?.source);
      package2.close();
      discard(elsewhere);
      if (!wrong) return null;
      [left, right] = [left, right].map((x, c) => x.map((_, i) => (c === 0 ? wrong.left : wrong.right)[i] ?? 0)) as [
        Float32Array,
        Float32Array,
      ];
    }
    const moved = (x: Float32Array, y: Float32Array) => x.some((v, i) => Math.abs(v - (y[i] ?? 0)) > 3e-4);
    if (!moved(left, victim.left) && !moved(right, victim.right)) return null;
    const packed = files.map((f) => {
      const path = join(folder, f.name.replaceAll("/", "_"));
      const sink = new FileSink(path);
      const { rate, channels, depth } = f.wav.format;
      const writer = new WavWriter(sink, {
        format: { rate, channels, depth: depth === "32" ? "32f" : depth },
        bext: f.wav.bext,
        ditherSeed: null,
      });
      const [l, r] = f === victim ? [left, right] : [f.left, f.right];
      writer.write(l, r, 0, l.length);
      writer.finish();
      sink.close();
      return {
        path,
        start: 0,
        name: f.name,
        bytes: statSync(path).size,
        sha256: createHash("sha256").update(readFileSync(path)).digest("hex"),
      };
    });
    const manifest: Manifest = {
      ...made.manifest,
      files: made.manifest.files.map((f, i) => ({
        ...f,
        sha256: packed[i]?.sha256 ?? "",
        bytes: packed[i]?.bytes ?? 0,
      })),
      papers: [],
    };
    const zip = join(folder, "package.zip");
    await writePackage(zip, packed, [], manifest, { date: DATE, signal: never, onBytes: () => undefined });
    renameSync(zip, made.zipPath);
    return victim.name;
  } finally {
    opened.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

const fail = (name: string): never => {
  throw new Error(`${name} is not in the package`);
};

/** The session with one of the tracks of a stem silent; null where it holds but one. */
function withoutOne(session: Session, name: string, plan: ExportPlan): Session | null {
  const file = plan.files.find((f) => f.fileName === name);
  const source = file?.sources.find((s) =>
    session.tracks.some((t) => t.id === s && (t.kind === "audio" || t.kind === "instrument") && !t.mute),
  );
  if (!file || source === undefined) return null;
  return { ...session, tracks: session.tracks.map((t) => (t.id === source ? { ...t, clips: [] } : t)) };
}
