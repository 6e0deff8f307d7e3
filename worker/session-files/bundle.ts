import { stat } from "node:fs/promises";
import type { BundleBeside, BundleIndex } from "../../contract/bundle";
import { BUNDLE_PARTS, BUNDLE_VERSION } from "../../contract/bundle";
import type { JobProgress } from "../../contract/job";
import type { Session } from "../../core/session/document";
import type { AudioStore } from "../../server/audio/store";
import { ZipWriter } from "../../server/packages/zip";
import { sha256Of } from "./media";

export interface BundleOrder {
  readonly session: Session;
  readonly revision: number;
  readonly date: Date;
  readonly beside: BundleBeside;
}

/** Writes a bundle; answers with its bytes. See `docs/bundle.md`. */
export async function writeBundle(
  { session, revision, date, beside }: BundleOrder,
  {
    store,
    path,
    signal,
    report,
  }: {
    readonly store: AudioStore;
    readonly path: string;
    readonly signal: AbortSignal;
    readonly report: (progress: JobProgress) => void;
  },
): Promise<number> {
  const parts = [
    { name: BUNDLE_PARTS.session, value: session },
    { name: BUNDLE_PARTS.prints, value: beside.prints },
    { name: BUNDLE_PARTS.recipes, value: beside.recipes },
    { name: BUNDLE_PARTS.handoffs, value: beside.handoffs },
  ].map(({ name, value }) => ({ name, bytes: Buffer.from(`${JSON.stringify(value, null, 1)}\n`) }));
  const hashes = [...new Set([...session.assets.map((a) => a.id), ...beside.prints.map((p) => p.asset)])];
  await store.makeLocal(hashes);
  const audio = await Promise.all(
    hashes.map(async (hash) => ({
      name: `${BUNDLE_PARTS.audio}/${hash}.wav`,
      hash,
      bytes: (await stat(await store.audioHere(hash))).size,
    })),
  );
  const index: BundleIndex = {
    format: "stemzo-bundle",
    version: BUNDLE_VERSION,
    name: session.name,
    revision,
    entries: [
      ...parts.map(({ name, bytes }) => ({ name, bytes: bytes.length, sha256: sha256Of(bytes) })),
      // A file of audio is called by the hash of its bytes.
      ...audio.map(({ name, hash, bytes }) => ({ name, bytes, sha256: hash })),
    ],
  };
  const total = audio.reduce((n, a) => n + a.bytes, 1);
  let done = 0;
  const zip = await ZipWriter.create(path, date);
  try {
    await zip.addBytes(BUNDLE_PARTS.index, Buffer.from(`${JSON.stringify(index, null, 1)}\n`));
    for (const { name, bytes } of parts) await zip.addBytes(name, bytes);
    for (const { name, hash, bytes } of audio)
      await zip.addFile(name, { path: await store.audioHere(hash), start: 0, bytes }, (more) => {
        signal.throwIfAborted();
        done += more;
        report({ stage: "writing the bundle", done: done / total, speed: null, secondsLeft: null });
      });
    await zip.finish();
  } catch (error) {
    await zip.abandon();
    throw error;
  }
  return (await stat(path)).size;
}
