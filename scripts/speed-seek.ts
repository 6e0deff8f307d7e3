import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import type { Job } from "../contract/job";
import { isOver } from "../contract/job-progress";
import { WavReader } from "../core/formats/wav/read";
import type { Session } from "../core/session/document";
import { tempoMap } from "../core/time/tempo";
import type { Frames } from "../core/units";
import { openPackage } from "../server/packages/read";
import { FADE } from "../player/output";
import { hearAnew, type Heard } from "../tests/e2e/hear";

/** Frames of a quantum of the sound card. */
const QUANTUM = 128;
/** What is compared with the print after each seek. */
const COMPARED_S = 0.5;

/** What a page keeps of what engines say of their load and begin with, and when a hand last did something. */
export interface Noted {
  readonly noted: {
    readonly loads: number[];
    readonly hand: number;
    readonly begins: number;
  };
}

/** What one seek while playing gave. */
export interface Seek {
  /** From the press to the first frame of the new place, in milliseconds; infinite where it is not the print's. */
  readonly ms: number;
}

/** The print of a session's mix, from its zero to a tick, through the server. */
export async function printOfMix(address: string, document: Session, toTick: number): Promise<Heard> {
  const id = `speed-print-${toTick}`;
  const sheet = { ...document.sheet, from: 0, to: toTick, tail: "none" as const, depth: "32f" as const, rate: null };
  await post(`${address}/api/sessions`, { id, document: { ...document, sheet } });
  let job = (await post(`${address}/api/sessions/${id}/exports`, {})) as Job;
  for (let turn = 0; !isOver(job.status); turn++) {
    if (turn > 600) throw new Error("printing did not end");
    await new Promise((resolve) => setTimeout(resolve, 500));
    job = (await (await fetch(`${address}/api/jobs/${job.id}`)).json()) as Job;
  }
  const folder = mkdtempSync(join(tmpdir(), "stemzo-speed-seek-"));
  try {
    const zip = join(folder, "package.zip");
    const response = await fetch(`${address}/api/handoffs/${job.id}/package`);
    writeFileSync(zip, Buffer.from(await response.arrayBuffer()));
    const delivered = await openPackage(zip);
    const mix = delivered.manifest.files.find((f) => f.role === "reference mix");
    const source = mix && delivered.entries.get(mix.name)?.source;
    if (!source) throw new Error("the package has no mix");
    const wav = WavReader.open(source);
    const print = { left: new Float32Array(wav.frames), right: new Float32Array(wav.frames) };
    wav.read(0, wav.frames, print.left, print.right, 0);
    delivered.close();
    return print;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function post(url: string, body: unknown): Promise<unknown> {
  const response = await fetch(url, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  });
  if (!response.ok) throw new Error(await response.text());
  return response.json();
}

/** Plays a session from zero, then goes to places that were played, and looks what is heard from each press on. */
export async function measureSeeks(
  page: Page,
  {
    document,
    print,
    ticks,
    playedS,
  }: {
    readonly document: Session;
    readonly print: Heard;
    readonly ticks: readonly number[];
    readonly playedS: number;
  },
): Promise<readonly Seek[]> {
  const tempo = tempoMap(document.tempo, document.rate);
  const end = Math.max(
    ...document.tracks.flatMap((t) => t.clips.map((c) => (c.kind === "audio" ? c.start + c.frames : 0))),
  );
  const ruler = await page.getByRole("img", { name: "Bars, meter and tempo" }).boundingBox();
  if (!ruler) throw new Error("the ruler is not drawn");
  await page.keyboard.press("Home");
  await page.waitForTimeout(2500);
  await page.keyboard.press("Space");
  await page.waitForTimeout(1000 * playedS);
  const seeks: Seek[] = [];
  for (const tick of ticks) {
    const frame = tempo.toFrames(tick);
    await hearAnew(page);
    await page.mouse.click(ruler.x + frame / ((end * 1.04) / ruler.width), ruler.y + 15);
    await page.waitForTimeout(4000);
    seeks.push(await afterPress(page, print));
  }
  await page.keyboard.press("Space");
  return seeks;
}

/** Finds where the print's audio, from the frame on that the engine began with, begins in what was heard. */
async function afterPress(page: Page, print: Heard): Promise<Seek> {
  const { pressed, frame, quanta } = await page.evaluate(() => {
    const { heard, noted } = window as never as Noted & { heard: [Float32Array, Float32Array, number][] };
    return {
      pressed: noted.hand,
      frame: noted.begins,
      quanta: heard.map(([left, right, at]) => ({ at, left: [...left], right: [...right] })),
    };
  });
  /** How many frames of a quantum are not the print's. */
  const wrong = (q: (typeof quanta)[number], from: Frames) =>
    q.left.reduce((n, x, i) => n + (x === print.left[from + i] && q.right[i] === print.right[from + i] ? 0 : 1), 0);
  // Behind the fade; an approximate place plays on until the exact one takes over.
  const first = quanta.findIndex((q, i) => q.at >= pressed && i >= FADE / QUANTUM && wrong(q, frame + FADE) === 0);
  const begun = quanta[first - FADE / QUANTUM];
  if (!begun) return { ms: Infinity };
  const after = quanta.slice(first, first + Math.round((COMPARED_S * 48000) / QUANTUM));
  const different = after.reduce((n, q, i) => n + wrong(q, frame + FADE + i * QUANTUM), 0);
  return { ms: different > 0 ? Infinity : begun.at - pressed };
}
