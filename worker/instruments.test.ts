import type { ChildProcess } from "node:child_process";
import { randomUUID } from "node:crypto";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ZipFile } from "yazl";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import type { Job } from "../contract/job";
import { withSamples } from "../core/instruments/instrument";
import { MemorySource } from "../core/formats/bytes/bytes";
import { readPreset } from "../core/formats/sf2/instrument";
import { SoundFont } from "../core/formats/sf2/read";
import { makeNoteClip } from "../core/session/build";
import { writeSoundFont } from "../core/testing/sound-font";
import { tinyFont } from "../core/testing/tiny-font";
import { deleteInstrumentFile, listInstrumentFiles } from "../server/services/instruments";
import { requestJob } from "../server/services/jobs";
import { createSession, readState } from "../server/services/sessions";
import { postSteps, travel } from "../server/services/steps";
import type { Fresh } from "../tests/setup/fresh";
import { fresh } from "../tests/setup/fresh";
import { ended, over, startRenderProcess } from "../tests/setup/render-process";
import { smallSession } from "../tests/setup/small-session";

let at: Fresh;
let process: ChildProcess;
let session: string;
beforeAll(async () => {
  at = await fresh();
  process = await startRenderProcess(at);
  session = (await createSession(at.db, await smallSession(at))).id;
});
afterAll(async () => {
  process.kill("SIGKILL");
  await ended(process);
  await at.close();
});

/** Sends a file, as `/api/uploads` keeps it. */
function sent(bytes: Uint8Array, path: string) {
  const upload = randomUUID();
  writeFileSync(at.store.uploads.path(upload), bytes);
  return { upload, path };
}
const add = async (...files: readonly ReturnType<typeof sent>[]) =>
  over(at, (await requestJob(at.db, null, { kind: "add instruments", files })).id);
const put = async (file: string, preset: number, track: string | null = null) =>
  over(
    at,
    (await requestJob(at.db, session, { kind: "put instrument", file, puts: [{ preset, track }], attenuation: 1 })).id,
  );

const trackOf = (result: Job["result"]) => (result?.kind === "put instrument" ? (result.put[0]?.track ?? "") : "");

describe("instruments of all sessions", () => {
  let file: string;

  test("a SoundFont is kept as it came, with its presets; the same one again is not kept twice", async () => {
    const { result } = await add(sent(tinyFont(), "fonts/Lamp Room.sf2"));
    expect(result).toMatchObject({ kind: "add instruments", files: [{ name: "Lamp Room", presets: 3 }], left: [] });
    await add(sent(tinyFont(), "again.sf2"));
    const [one, ...more] = await listInstrumentFiles(at.db);
    expect([one?.fileName, one?.presets.map((p) => [p.bank, p.program, p.name]), more]).toEqual([
      "Lamp Room.sf2",
      [
        [0, 24, "Pluck"],
        [0, 65, "Reed"],
        [128, 0, "Lamp kit"],
      ],
      [],
    ]);
    file = one?.id ?? "";
    expect(readFileSync(at.store.instruments.path(file))).toEqual(Buffer.from(tinyFont()));
    expect(readdirSync(`${at.dataRoot}/unfinished`)).toEqual([]);
  });

  test("what is no SoundFont is refused, with the reason; beside others it is left out and named", async () => {
    const alone = await add(sent(new TextEncoder().encode("this is no SoundFont at all"), "text.sf2"));
    expect(alone).toMatchObject({ status: "failed" });
    expect(JSON.stringify(alone.fault)).toContain("text.sf2");
    const broken = await add(sent(tinyFont().slice(0, 900), "cut.sf2"), sent(tinyFont(), "whole.sf2"));
    expect(broken.result).toMatchObject({ files: [{ name: "Lamp Room" }], left: [{ name: "cut.sf2" }] });
  });

  test("a preset comes onto a new track with the recordings that it plays, in one step that is undone as one", async () => {
    const before = (await readState(at.db, session)).document;
    const { result } = await put(file, 0);
    expect(result).toMatchObject({ kind: "put instrument", put: [{ name: "Pluck" }], samples: 2, lost: [] });
    const { document } = await readState(at.db, session);
    const track = document.tracks.find((t) => t.id === trackOf(result))!;
    expect([track.name, track.kind, track.devices.map((d) => d.type)]).toEqual(["Pluck", "instrument", ["sampled"]]);
    const instrument = document.instruments.find((i) => i.id === track.devices[0]?.instrument)!;
    const read = readPreset(new SoundFont(new MemorySource(tinyFont())), 0, { id: instrument.id });
    const samples = new Map(document.assets.filter((a) => a.origin === "sample").map((a) => [a.name, a.id]));
    const font = new SoundFont(new MemorySource(tinyFont()));
    expect(instrument).toEqual(
      withSamples(read.instrument, (sample) => samples.get(font.samples[Number(sample)]?.name ?? "")),
    );
    await travel(at.db, session, "undo");
    expect((await readState(at.db, session)).document).toEqual(before);
    await travel(at.db, session, "redo");
  });

  test("it replaces the instrument of a track, is frozen, and the print is what the track played", async () => {
    const { result } = await put(file, 1, "pad");
    expect(result).toMatchObject({ kind: "put instrument", put: [{ track: "pad" }], samples: 1 });
    const placed = (await readState(at.db, session)).document.tracks.find((t) => t.id === "pad")!;
    expect(placed.devices.map((d) => d.type)).toEqual(["sampled", "compressor"]);
    const frozen = await over(at, (await requestJob(at.db, session, { kind: "freeze", tracks: ["pad"] })).id);
    const [print] = frozen.result?.kind === "freeze" ? frozen.result.prints : [];
    expect(print?.peakDb ?? -Infinity).toBeGreaterThan(-40);
    await travel(at.db, session, "undo");
    const again = await over(at, (await requestJob(at.db, session, { kind: "freeze", tracks: ["pad"] })).id);
    expect(again.result).toMatchObject({ prints: [{ asset: print?.asset, reused: true }] });
    // A frozen track, and one that plays no notes, take none.
    await expect(put(file, 0, "pad")).rejects.toThrow(/cannot take an instrument/);
    await expect(put(file, 0, "surf")).rejects.toThrow(/cannot take an instrument/);
  });

  test("the same preset twice is one instrument of the session; removed from the library, it plays on", async () => {
    const count = async () => (await readState(at.db, session)).document.instruments.length;
    await put(file, 2);
    const one = await count();
    const { result } = await put(file, 2);
    expect(await count()).toBe(one);
    await deleteInstrumentFile(at.db, file);
    expect(await listInstrumentFiles(at.db)).toEqual([]);
    const track = trackOf(result);
    const { document, revision } = await readState(at.db, session);
    const [phrase] = document.phrases;
    const clip = makeNoteClip("knock", { ...phrase!, id: "knocks" }, 0);
    const knocks = { ...phrase!, id: "knocks", notes: phrase!.notes.map((n) => ({ ...n, pitch: 36 })) };
    await postSteps(at.db, session, revision, [
      {
        id: randomUUID(),
        step: {
          label: "Knock",
          edits: [
            { do: "add", in: "phrases", item: knocks, index: 0 },
            { do: "add", in: "clips", track, item: clip, index: 0 },
          ],
        },
      },
    ]);
    const frozen = await over(at, (await requestJob(at.db, session, { kind: "freeze", tracks: [track] })).id);
    expect(frozen.result).toMatchObject({ kind: "freeze", prints: [{ track }] });
  });

  test("an SF3 plays what its Vorbis decodes to", async () => {
    const seconds = 1;
    const ogg = execFileSync("ffmpeg", [
      ...["-v", "error", "-f", "lavfi", "-i", `sine=frequency=500:sample_rate=32000:duration=${seconds}`],
      ...["-c:a", "libvorbis", "-q:a", "8", "-f", "ogg", "-"],
    ]);
    const font = writeSoundFont({
      samples: [{ name: "Sine", audio: new Uint8Array(ogg), rate: 32000, loopFrom: 6400, loopTo: 25600 }],
      instruments: [{ name: "Sine", zones: [{ generators: { sampleModes: 1, sampleID: 0 } }] }],
      presets: [{ name: "Sine", bank: 0, program: 0, zones: [{ generators: { instrument: 0 } }] }],
    });
    const { result } = await add(sent(font, "sine.sf3"));
    const id = result?.kind === "add instruments" ? (result.files[0]?.id ?? "") : "";
    const placed = await put(id, 0);
    expect(placed.result).toMatchObject({ put: [{ name: "Sine" }], samples: 1 });
    const { document } = await readState(at.db, session);
    const asset = document.assets.find((a) => a.name === "Sine");
    expect([asset?.rate, asset?.channels, asset?.frames]).toEqual([32000, 1, 32000]);
    expect(document.instruments.at(-1)?.zones[0]).toMatchObject({ loop: "continuous", loopFrom: 6400, loopTo: 25600 });
  });

  test("a folder of SFZ files is one file of instruments: loops of recordings, includes, missing ones told; packed too", async () => {
    const folder = mkdtempSync(join(tmpdir(), "stemzo-sfz-"));
    try {
      const wav = tone(folder, "low.wav", 22050, { from: 1000, to: 9000 });
      execFileSync("sox", [
        "-n",
        "-R",
        "-r",
        "44100",
        "-b",
        "16",
        "-c",
        "2",
        join(folder, "high.flac"),
        "synth",
        "0.5",
        "sine",
        "880",
      ]);
      const files: Readonly<Record<string, Uint8Array>> = {
        "Bells/low.sfz": text('#include "more/keys.txt"\n<region> sample=Samples\\low.wav key=$KEY eq1_gain=2'),
        "Bells/both.sfz": text(
          "<global> ampeg_release=0.2 <region> sample=samples/low.wav hikey=59 <region> sample=Samples/high.flac lokey=60 <region> sample=gone.wav",
        ),
        "Bells/more/keys.txt": text("#define $KEY 48"),
        "Bells/samples/low.wav": wav,
        "Bells/Samples/high.flac": readFileSync(join(folder, "high.flac")),
      };
      const all = Object.entries(files).map(([path, bytes]) => sent(bytes, path));
      const { result } = await add(...all);
      const [made] = result?.kind === "add instruments" ? result.files : [];
      expect([made?.name, made?.presets]).toEqual(["Bells", 2]);
      const list = await listInstrumentFiles(at.db);
      expect(list.find((f) => f.id === made?.id)?.presets.map((p) => p.name)).toEqual(["both", "low"]);
      const low = await put(made?.id ?? "", 1);
      expect(low.result).toMatchObject({
        put: [{ name: "low" }],
        samples: 1,
        lost: [{ what: "eq1_gain is not played" }],
      });
      const both = await put(made?.id ?? "", 0);
      expect(both.result).toMatchObject({
        samples: 2,
        lost: [{ what: "Recordings that are not there are silent", zones: 1 }],
      });
      const { document } = await readState(at.db, session);
      const instrument = document.instruments.at(-1)!;
      expect(instrument.zones.map((z) => [z.loop, z.loopFrom, z.loopTo, z.lowKey, z.highKey])).toEqual([
        ["continuous", 1000, 9000, 0, 59],
        ["none", undefined, undefined, 60, 127],
      ]);
      const rates = instrument.zones.map((z) => document.assets.find((a) => a.id === z.sample)!);
      expect(rates.map((a) => [a.rate, a.channels])).toEqual([
        [22050, 1],
        [44100, 2],
      ]);
      // The same in a ZIP that others packed.
      const zip = new ZipFile();
      for (const [path, bytes] of Object.entries(files)) zip.addBuffer(Buffer.from(bytes), path);
      zip.end();
      const parts: Buffer[] = [];
      for await (const part of zip.outputStream) parts.push(part as Buffer);
      const packed = await add(sent(Buffer.concat(parts), "Bells.zip"));
      const id = packed.result?.kind === "add instruments" ? (packed.result.files[0]?.id ?? "") : "";
      expect((await put(id, 0)).result).toMatchObject({ put: [{ name: "both" }], samples: 2 });
      expect((await readState(at.db, session)).document.instruments.length).toBe(document.instruments.length);
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });
});

const text = (of: string): Uint8Array => new TextEncoder().encode(of);

/** A WAV file of a tone with a loop for samplers in it. */
function tone(
  folder: string,
  name: string,
  rate: number,
  loop: { readonly from: number; readonly to: number },
): Uint8Array {
  const path = join(folder, name);
  execFileSync("sox", ["-n", "-R", "-r", String(rate), "-b", "16", "-c", "1", path, "synth", "0.5", "sine", "220"]);
  const plain = readFileSync(path);
  const smpl = Buffer.alloc(8 + 60);
  smpl.write("smpl");
  smpl.writeUInt32LE(60, 4);
  smpl.writeUInt32LE(1, 8 + 28);
  smpl.writeUInt32LE(loop.from, 8 + 44);
  smpl.writeUInt32LE(loop.to - 1, 8 + 48);
  const all = Buffer.concat([plain, smpl]);
  all.writeUInt32LE(all.length - 8, 4);
  return all;
}
