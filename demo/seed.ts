import { DEMO_ID } from "../contract/demo-id";
import type { Asset } from "../core/session/document";
import { WavWriter } from "../core/formats/wav/write";
import type { AudioFacts } from "../server/audio/facts";
import { inspectWav } from "../server/audio/facts";
import { FileSink } from "../server/audio/file-bytes";
import { AudioStore } from "../server/audio/store";
import type { Db } from "../server/db/connect";
import { recordAudio } from "../server/services/audio";
import { createSession } from "../server/services/sessions";
import type { Recording } from "./field-recordings";
import { RECORDING_RATE } from "./field-recordings";
import type { DemoAudio } from "./harbour-lamps";
import { demoRecordings, harbourLamps } from "./harbour-lamps";

/** Makes the demo's recordings, stores them and creates the session. */
export async function seedDemo(db: Db, dataRoot: string): Promise<void> {
  const audio = await storeDemoAudio(new AudioStore(dataRoot), (hash, facts) => recordAudio(db, hash, facts));
  await createSession(db, harbourLamps(audio), DEMO_ID);
}

/** Makes the demo's recordings and puts them into a store; `keep` is told what each of them is. */
export async function storeDemoAudio(
  store: AudioStore,
  keep: (hash: string, facts: AudioFacts) => Promise<unknown>,
): Promise<DemoAudio> {
  const kept: Partial<Record<keyof DemoAudio, Asset>> = {};
  for (const [name, recording] of Object.entries(demoRecordings()))
    kept[name as keyof DemoAudio] = await storeRecording(store, recording, keep);
  return kept as DemoAudio;
}

async function storeRecording(
  store: AudioStore,
  { name, left, right }: Recording,
  keep: Parameters<typeof storeDemoAudio>[1],
): Promise<Asset> {
  const path = store.unfinished();
  const sink = new FileSink(path);
  const writer = new WavWriter(sink, {
    format: { rate: RECORDING_RATE, channels: 2, depth: "24" },
    bext: null,
    ditherSeed: null,
  });
  writer.write(left, right, 0, left.length);
  writer.finish();
  sink.close();
  const facts = await inspectWav(path);
  const hash = await store.adopt(path);
  await keep(hash, facts);
  return { id: hash, name, frames: facts.frames, rate: RECORDING_RATE, channels: 2, origin: "generated" };
}
