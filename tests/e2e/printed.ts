import { writeFileSync } from "node:fs";
import type { TestInfo } from "@playwright/test";
import { WavReader } from "../../core/formats/wav/read";
import type { Session } from "../../core/session/document";
import { openPackage } from "../../server/packages/read";
import type { Heard } from "./hear";
import type { Stemzo } from "./stemzo";
import { expect } from "./stemzo";

export const RATE = 48000;
export const BAR = 3840;

/** The server's print of a session's mix, after its chain, in floats. */
export async function printOf(stemzo: Stemzo, id: string, info: TestInfo, toTick: number): Promise<Heard> {
  const { document } = await stemzo.state(id);
  const copy = await stemzo.create({
    ...document,
    sheet: { ...document.sheet, from: 0, to: toTick, tail: "none", depth: "32f", rate: null },
  });
  const job = await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${copy}/exports`)).id);
  expect(job.fault).toBeNull();
  const zip = info.outputPath(`${copy}.zip`);
  writeFileSync(
    zip,
    Buffer.from(await (await fetch(`${stemzo.address}/api/handoffs/${job.id}/package`)).arrayBuffer()),
  );
  const delivered = await openPackage(zip);
  const mix = delivered.manifest.files.find((f) => f.role === "reference mix");
  const wav = WavReader.open(delivered.entries.get(mix!.name)!.source);
  const print = { left: new Float32Array(wav.frames), right: new Float32Array(wav.frames) };
  wav.read(0, wav.frames, print.left, print.right, 0);
  delivered.close();
  return print;
}

/**
 * A part of the demo that every machine can play: recordings with an absent device, a group, a synthesiser, FM with a
 * chorus, the hall, the mix's chain.
 */
const LIGHT = ["water", "buoy", "lamps", "horn", "gulls"];
export const light = (d: Session): Session => {
  const tracks = d.tracks.filter((t) => (t.kind !== "audio" && t.kind !== "instrument") || LIGHT.includes(t.id));
  const here = new Set(tracks.map((t) => t.id));
  const devices = (t: Session["tracks"][number]) =>
    t.devices.map((x) => (x.key !== null && !here.has(x.key) ? { ...x, key: null } : x));
  return {
    ...d,
    tracks: tracks.map((t) => ({ ...t, devices: devices(t) })),
    sheet: { ...d.sheet, rows: d.sheet.rows.filter((r) => r.sources.every((s) => here.has(s))) },
  };
};
