import type { Arrival } from "../../contract/intake";
import type { Loss } from "../../core/timeline/loss";
import type { Timeline } from "../../core/timeline/timeline";
import type { MediaPair } from "../../core/interchange/pairs";
import type { Session } from "../../core/session/document";
import type { BundleBeside } from "../../contract/bundle";
import { BUNDLE_PARTS, bundleBesideSchema } from "../../contract/bundle";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import type { PieceOfFile } from "../../server/audio/file-bytes";
import { pieceOf } from "../../server/audio/file-bytes";
import { AudioStore } from "../../server/audio/store";
import { DecodeCancelled } from "../import/reader";
import { CandidateReader } from "./candidate-reader";
import type { Item } from "./items";
import { Arrived } from "./items";
import type { SentFile } from "./items";

/** Looks at files that were sent. */
export interface LookTask {
  readonly kind: "look";
  readonly files: readonly SentFile[];
  readonly dataRoot: string;
}

/** Opens what was sent as one of the sessions that it can be opened as. */
export interface OpenTask {
  readonly kind: "open arrival";
  readonly files: readonly SentFile[];
  readonly candidate: string;
  readonly dataRoot: string;
}

/** Import, opened as one of its candidates: all that is needed to make a session of it. */
export interface OpenedArrival {
  readonly timeline: Timeline;
  readonly losses: readonly Loss[];
  readonly pairs: readonly MediaPair[];
  /** Where the bytes of each of its media are; null: they are missing, or are no sound. */
  readonly pieces: readonly { readonly media: string; readonly piece: PieceOfFile | null }[];
  readonly left: readonly { readonly path: string; readonly why: string }[];
  readonly bundle: UnpackedBundle | null;
  /** What was unpacked, to be removed when the bytes have been read. */
  readonly scratch: readonly string[];
}

export interface UnpackedBundle {
  readonly session: Session;
  readonly beside: BundleBeside;
  readonly audio: readonly { readonly sha256: string; readonly piece: PieceOfFile }[];
}

/** Looks at what arrived; nothing of it is kept. */
export async function lookAt({ files, dataRoot }: LookTask, progress: (part: number) => boolean): Promise<Arrival> {
  const { arrived, reader } = await arrive(files, dataRoot, progress);
  try {
    const opened = await reader.all();
    const candidates = [];
    for (const o of opened) candidates.push(await reader.summary(o));
    return {
      files: arrived.items.length,
      bytes: arrived.items.reduce((n, i) => n + i.source.size, 0),
      candidates,
      left: arrived.left,
      others: arrived.items.filter((i) => i.kind === "other" && !i.isPart).map((i) => i.path),
    };
  } finally {
    arrived.close();
  }
}

/** Opens what arrived as one of its candidates. What it had to unpack is for the caller to remove. */
export async function openArrival(
  { files, dataRoot, candidate }: OpenTask,
  progress: (part: number) => boolean,
): Promise<OpenedArrival> {
  const { arrived, reader } = await arrive(files, dataRoot, progress);
  let keeps = false;
  try {
    const found = (await reader.all(candidate)).find((o) => o.id === candidate);
    if (!found) throw new MalformedFile(arrived.left[0]?.why ?? "It is not among what arrived any more");
    const { timeline, losses, pairs, media, bundle } = found;
    const item = arrived.items.find((i) => i.kind === "bundle" && i.path === found.path);
    const opened: OpenedArrival = {
      timeline,
      losses,
      pairs,
      pieces: [...media].map(([id, m]) => {
        if (!m.source || !m.facts) return { media: id, piece: null };
        return { media: id, piece: m.item ? m.item.piece() : pieceOf(storedOf(arrived, found.path), m.source) };
      }),
      left: arrived.left,
      bundle: bundle && item ? await unpacked(item, bundle.session, arrived) : null,
      scratch: arrived.keep(),
    };
    keeps = true;
    return opened;
  } finally {
    if (keeps) arrived.release();
    else arrived.close();
  }
}

async function arrive(files: LookTask["files"], dataRoot: string, progress: (part: number) => boolean) {
  const store = new AudioStore(dataRoot);
  let steps = 0;
  const throwIfCancelled = () => {
    // How much there is to be looked at is not known before it is: the bar comes closer to its end, step by step.
    steps++;
    if (!progress(1 - 1 / (1 + steps / 200))) throw new DecodeCancelled("Looking was cancelled.");
  };
  const arrived = new Arrived(() => store.unfinished());
  try {
    await arrived.take(files, throwIfCancelled);
    return { arrived, reader: new CandidateReader(arrived, throwIfCancelled) };
  } catch (error) {
    arrived.close();
    throw error;
  }
}

/** The file that holds what is inside of a session file. */
function storedOf(arrived: Arrived, path: string): string {
  const item = arrived.items.find((i) => i.path === path);
  if (!item) throw new Error(`"${path}" is gone`);
  return item.piece().path;
}

async function unpacked(item: Item, session: Session, arrived: Arrived): Promise<UnpackedBundle> {
  const part = async (name: string): Promise<unknown> => {
    const entry = item.entries.find((e) => e.name === name);
    return entry ? (JSON.parse(new TextDecoder().decode(await entry.read(256 << 20))) as unknown) : [];
  };
  const beside = bundleBesideSchema.safeParse({
    prints: await part(BUNDLE_PARTS.prints),
    recipes: await part(BUNDLE_PARTS.recipes),
    handoffs: await part(BUNDLE_PARTS.handoffs),
  });
  if (!beside.success) {
    const [issue] = beside.error.issues;
    throw new MalformedFile(`The bundle's ${issue?.path.join(".") ?? ""} cannot be read: ${issue?.message ?? ""}`);
  }
  const audio = [];
  for (const entry of item.entries) {
    const [, sha256] = /^audio\/([0-9a-f]{64})\.wav$/.exec(entry.name) ?? [];
    if (sha256 === undefined) continue;
    audio.push({ sha256, piece: await arrived.pieceOfEntry(item, entry) });
  }
  return { session, beside: beside.data, audio };
}
