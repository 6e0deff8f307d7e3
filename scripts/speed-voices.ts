import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { render } from "../core/engine/render";
import { MIX_AFTER } from "../core/engine/tap";
import { WavWriter } from "../core/formats/wav/write";
import { makeDevice, makeNoteClip, makeSession, makeTrack } from "../core/session/build";
import type { Asset, Device, Phrase, Session } from "../core/session/document";
import { noise } from "../core/testing/listen";
import { FileSink } from "../server/audio/file-bytes";
import { AudioStore } from "../server/audio/store";
import type { Row } from "./speed-row";
import { printRow } from "./speed-row";

const RATE = 48000;
const NOTES = 24;
const SECONDS = 20;
const TURNS = 3;
/** As much as the sampler that plays one recording, and half of that more. */
const MOST = 1.5;

/**
 * A chord of as many voices as the sampler has, held, of a recording in the store: by the sampler, and by an instrument
 * of one zone with envelopes, filter and vibrato. Seconds of one thread; medians.
 */
export async function measureVoices(): Promise<readonly Row[]> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-voices-"));
  try {
    const store = new AudioStore(folder, null);
    await store.prepare(false);
    const path = store.unfinished();
    const sink = new FileSink(path);
    const writer = new WavWriter(sink, {
      format: { rate: RATE, channels: 2, depth: "24" },
      bext: null,
      ditherSeed: null,
    });
    const { left, right } = noise(SECONDS * 3 * RATE, 4, 0.02);
    writer.write(left, right, 0, left.length);
    writer.finish();
    sink.close();
    const id = await store.adopt(path);
    const asset: Asset = { id, name: "noise", frames: left.length, rate: RATE, channels: 2, origin: "sample" };
    const sampler: Device = makeDevice("device", "sampler", {}, null, [
      { id: "l", pad: 0, asset: id, gainDb: 0, cents: 0, softest: 1, loudest: 127 },
    ]);
    const sampled: Device = { ...makeDevice("device", "sampled"), instrument: "own" };
    const time = (device: Device): number => {
      const library = store.library();
      const began = performance.now();
      render({
        ...{ session: sessionOf(asset, device), library: library.find, from: 0, to: SECONDS * RATE, tail: "none" },
        taps: [{ tap: MIX_AFTER, sink: () => undefined }],
      });
      library.close();
      return (performance.now() - began) / 1000;
    };
    time(sampler);
    time(sampled);
    const [ours, theirs]: [number[], number[]] = [[], []];
    for (let turn = 0; turn < TURNS; turn++) {
      ours.push(time(sampled));
      theirs.push(time(sampler));
    }
    const middle = (list: readonly number[]) => [...list].sort((a, b) => a - b)[list.length >> 1] ?? NaN;
    const ratio = middle(ours) / middle(theirs);
    console.log(`\nvoices: ${NOTES} held notes of a stereo recording, ${SECONDS} s; at most ${MOST} times the sampler`);
    return [
      printRow({
        ...{ work: "voices", measure: "wall", ours: middle(ours), against: "sampler", theirs: middle(theirs), ratio },
      }),
    ];
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

function sessionOf(asset: Asset, device: Device): Session {
  const ticks = SECONDS * 1920;
  const notes = Array.from({ length: NOTES }, (_, i) => ({ tick: 0, ticks, pitch: 43 + i, velocity: 90 }));
  const phrase: Phrase = { id: "chord", name: "Chord", ticks, notes };
  return makeSession({
    assets: [asset],
    instruments: [
      {
        ...{ id: "own", name: "Own", origin: "", modulators: [] },
        zones: [
          {
            ...{
              sample: asset.id,
              filter: "low",
              filterHz: 4000,
              resonanceDb: 3,
              loop: "continuous",
              loopTo: asset.frames,
            },
            volume: { attackS: 0.01, decayS: 5, sustainDb: 6 },
            vibrato: { hz: 5, cents: 10 },
          },
        ],
      },
    ],
    phrases: [phrase],
    tracks: [
      makeTrack({
        ...{ id: "t", name: "T", kind: "instrument", output: "mix", devices: [device] },
        clips: [makeNoteClip("c", phrase, 0)],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
}
