import type { Page } from "@playwright/test";
import { chromium } from "@playwright/test";
import type { SessionState } from "../contract/session";
import { DEMO_ID } from "../contract/demo-id";
import { isOver } from "../contract/job-progress";
import type { Job } from "../contract/job";
import { makeAudioClip, makeSession, makeTrack } from "../core/session/build";
import type { Session } from "../core/session/document";
import { TICKS_PER_QUARTER } from "../core/units";
import { largeSession } from "../demo/large-session";
import { heardWhen, hearAnew, listenTo } from "../tests/e2e/hear";
import { CHROMIUM } from "./chromium";
import { startDisposable } from "./disposable";
import { eyes, openings } from "./speed-big-session";
import { median, type BrowserFigure } from "./speed-browser-figure";
import { measureSeeks, printOfMix, type Noted } from "./speed-seek";

const TAB_MS = 1500;
const TICKS_PER_BAR = 4 * TICKS_PER_QUARTER;

/** Runs Stemzo with its demo and a large session, and measures in Chromium what hands, ears and eyes wait for. */
export async function measureInBrowser(): Promise<readonly BrowserFigure[]> {
  const stemzo = await startDisposable();
  const browser = await chromium.launch(CHROMIUM);
  const create = async (id: string, document: Session) => {
    const response = await fetch(`${stemzo.address}/api/sessions`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ id, document }),
    });
    if (!response.ok) throw new Error(await response.text());
    return id;
  };
  const open = async (id: string): Promise<Page> => {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, bypassCSP: true });
    const page = await context.newPage();
    await listenTo(page);
    await page.addInitScript(noteDown);
    // An empty tab is there before anything is opened in it.
    await page.waitForTimeout(TAB_MS);
    await page.goto(`${stemzo.address}/s/${id}`);
    return page;
  };
  try {
    const { document: demo } = (await (
      await fetch(`${stemzo.address}/api/sessions/${DEMO_ID}`)
    ).json()) as SessionState;
    const figures: BrowserFigure[] = [];

    const page = await open(DEMO_ID);
    await getReady(page);
    figures.push({
      measure: "start_ms",
      what: "from the key to the first sound, the demo from its zero",
      value: await median(() => startLatency(page)),
      target: 150,
    });
    figures.push({
      measure: "load_live",
      what: "the demo playing, everything live, of one core",
      value: await playingLoad(page),
      target: 0.6,
    });
    figures.push(...(await seeks(page, stemzo.address, demo)));
    await page.context().close();

    const tone = await open(await create("speed-tone", toneSession(demo)));
    await getReady(tone);
    figures.push({
      measure: "ear_ms",
      what: "from a press on a valve to its being heard",
      value: await median(() => earLatency(tone)),
      target: 40,
    });
    await tone.context().close();

    await freezeAll(stemzo.address, await create("speed-frozen", demo));
    const frozen = await open("speed-frozen");
    await getReady(frozen);
    figures.push({
      measure: "load_frozen",
      what: "the demo playing, everything frozen, of one core",
      value: await playingLoad(frozen),
      target: 0.15,
    });
    await frozen.context().close();

    const audio = demo.assets.filter((a) => a.frames > 5 * demo.rate);
    const large = await create("speed-large", largeSession({ tracks: 200, clips: 10_000, audio, rate: demo.rate }));
    figures.push(...(await openings(browser, `${stemzo.address}/s/${large}`)));
    const opened = await open(large);
    figures.push(...(await eyes(opened)));
    await opened.context().close();
    return figures;
  } finally {
    await browser.close();
    await stemzo.stop();
  }
}

/** Bars that seeks go to while the demo plays, and places within bars; it has played all of them before. */
const SEEK_BARS = [5, 3, 7, 9, 4, 8, 6];
const SEEK_BETWEEN = [5.5, 8.25, 3.75, 6.5, 7.25];
const SEEK_PLAYED_S = 26;

/** From a press on the ruler while the demo plays to the first frame of the print from there on. */
async function seeks(page: Page, address: string, demo: Session): Promise<readonly BrowserFigure[]> {
  const print = await printOfMix(address, demo, 16 * TICKS_PER_BAR);
  const ms = async (bars: readonly number[], playedS: number) => {
    const ticks = bars.map((bar) => (bar - 1) * TICKS_PER_BAR);
    const all = (await measureSeeks(page, { document: demo, print, ticks, playedS })).map((s) => s.ms);
    return all.sort((a, b) => a - b)[all.length >> 1] ?? NaN;
  };
  const [onBars, between] = [await ms(SEEK_BARS, SEEK_PLAYED_S), await ms(SEEK_BETWEEN, 1)];
  return [
    {
      measure: "seek_ms",
      what: "from a press on a bar of the ruler, while the demo plays, to its first frame",
      value: onBars,
      target: 120,
    },
    { measure: "seek_between_ms", what: "the same, to places within bars", value: between, target: 250 },
  ];
}

/** In the page: keeps what the engines say about their load, where they begin, and when a hand last did something. */
function noteDown(): void {
  const noted = { loads: [] as number[], hand: 0, begins: 0 };
  Object.assign(window, { noted });
  const Plain = window.Worker;
  window.Worker = class extends Plain {
    constructor(url: string | URL, options?: WorkerOptions) {
      super(url, options);
      this.addEventListener("message", ({ data }: MessageEvent<{ kind?: string; tracks?: Record<string, number> }>) => {
        if (data.kind === "load" && data.tracks)
          noted.loads.push(Object.values(data.tracks).reduce((a, b) => a + b, 0));
      });
    }
    override postMessage(
      message: { kind?: string; at?: number },
      options?: StructuredSerializeOptions | Transferable[],
    ) {
      if (message.kind === "start") noted.begins = message.at ?? 0;
      super.postMessage(message, options as Transferable[]);
    }
  };
  for (const kind of ["keydown", "pointerdown", "click"])
    addEventListener(
      kind,
      () => {
        noted.hand = Date.now();
      },
      true,
    );
}

/** Waits until the engines have all they need and the server has measured its load, so that nothing else is at work. */
async function getReady(page: Page): Promise<void> {
  await page.locator("[data-awake]").waitFor();
  await page.keyboard.press("Escape");
  await page.locator('[aria-label="Playing"][data-ready]').waitFor({ timeout: 120_000 });
  await page.locator("[data-load]").filter({ hasText: /\d/ }).waitFor({ timeout: 120_000 });
  await page.waitForTimeout(2000);
}

const hand = (page: Page) => page.evaluate(() => (window as never as Noted).noted.hand);
async function startLatency(page: Page): Promise<number> {
  await page.keyboard.press("Home");
  await page.waitForTimeout(2500);
  await hearAnew(page);
  await page.keyboard.press("Space");
  const pressed = await hand(page);
  await page.waitForTimeout(1200);
  const first = (await heardWhen(page)).find(({ peak }) => peak > 0);
  await page.keyboard.press("Space");
  await page.waitForTimeout(300);
  if (!first) throw new Error("nothing was heard");
  return first.at - pressed;
}

/** A steady noise on one track, from the session's zero. */
function toneSession(demo: Session): Session {
  const asset = demo.assets.find((a) => a.name.toLowerCase().includes("water")) ?? demo.assets[0];
  if (!asset) throw new Error("the demo has no audio");
  return makeSession({
    name: "Tone",
    rate: demo.rate,
    assets: [asset],
    tracks: [
      makeTrack({
        id: "t",
        name: "Tone",
        kind: "audio",
        faderDb: 6,
        clips: [makeAudioClip({ id: "c", asset: asset.id, start: 0, frames: asset.frames })],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
}

/**
 * Playing, closes the track's valve: until the first quantum that is an eighth as loud as the ones before, or the sound
 * has gone.
 */
async function earLatency(page: Page): Promise<number> {
  await page.keyboard.press("Home");
  await page.waitForTimeout(1500);
  await page.keyboard.press("Space");
  await page.waitForTimeout(2500);
  await hearAnew(page);
  const box = await page.getByRole("button", { name: "Mute Tone" }).boundingBox();
  if (!box) throw new Error("the valve is not drawn");
  await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2);
  const pressed = await hand(page);
  await page.waitForTimeout(700);
  const all = await heardWhen(page);
  const before = all.filter((q) => q.at < pressed).reduce((sum, q, _, list) => sum + q.peak / list.length, 0);
  const gone = all.find((q) => q.at >= pressed && q.peak < before / 8);
  await page.keyboard.press("Space");
  await page.waitForTimeout(300);
  await page.keyboard.press("Control+z");
  await page.waitForTimeout(500);
  if (!gone || !(before > 0)) throw new Error("the valve was not heard");
  return gone.at - pressed;
}

/** Plays from the busiest bars on for a while: what the engine says it took, without the first second. */
async function playingLoad(page: Page): Promise<number> {
  await page.keyboard.press("Home");
  for (let bar = 0; bar < 16; bar++) await page.keyboard.press(".");
  await page.waitForTimeout(4000);
  await page.evaluate(() => {
    (window as never as Noted).noted.loads.length = 0;
  });
  await page.keyboard.press("Space");
  await page.waitForTimeout(9000);
  await page.keyboard.press("Space");
  const loads = (await page.evaluate(() => (window as never as Noted).noted.loads)).slice(2);
  if (loads.length < 8) throw new Error(`only ${loads.length} loads were told`);
  return loads.reduce((a, b) => a + b, 0) / loads.length;
}

async function freezeAll(address: string, id: string): Promise<void> {
  const { document } = (await (await fetch(`${address}/api/sessions/${id}`)).json()) as SessionState;
  const tracks = document.tracks
    .filter((t) => (t.kind === "audio" || t.kind === "instrument") && !t.parked && t.clips.length > 0)
    .map((t) => t.id);
  const response = await fetch(`${address}/api/sessions/${id}/freeze`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ tracks }),
  });
  let job = (await response.json()) as Job;
  for (let turn = 0; !isOver(job.status); turn++) {
    if (turn > 600) throw new Error("freezing did not end");
    await new Promise((resolve) => setTimeout(resolve, 500));
    job = (await (await fetch(`${address}/api/jobs/${job.id}`)).json()) as Job;
  }
  if (job.status !== "done") throw new Error(`freezing ended as ${job.status}`);
}
