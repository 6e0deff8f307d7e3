import type { Page } from "@playwright/test";
import { chromium } from "@playwright/test";
import type { SessionState } from "../contract/session";
import { DEMO_ID } from "../contract/session";
import { isOver } from "../contract/job";
import type { Job } from "../contract/job";
import { makeAudioClip, makeSession, makeTrack } from "../core/session/build";
import type { Session } from "../core/session/document";
import { TICKS_PER_QUARTER } from "../core/units";
import { largeSession } from "../demo/large-session";
import { heardWhen, hearAnew, listenTo } from "../tests/e2e/hear";
import { CHROMIUM } from "./chromium";
import { startDisposable } from "./disposable";
import { measureSeeks, printOfMix, type Noted } from "./speed-seek";
import { watchStolen } from "./stolen";

/** What is measured in the browser, and what it has to stay under (frames a second: over). */
export interface BrowserFigure {
  readonly measure:
    | "start_ms"
    | "ear_ms"
    | "seek_ms"
    | "seek_between_ms"
    | "load_live"
    | "load_frozen"
    | "stolen_percent"
    | "still_fps"
    | "first_picture_ms"
    | "interactive_ms"
    | "scroll_fps"
    | "zoom_fps"
    | "fader_fps";
  readonly what: string;
  readonly value: number;
  readonly target: number;
}

const TURNS = 5;
const TICKS_PER_BAR = 4 * TICKS_PER_QUARTER;
/** Of what is measured in pictures a second: three seconds each. */
const LOOKS = 3;

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
      target: 50,
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
    const large = await open(
      await create("speed-large", largeSession({ tracks: 200, clips: 10_000, audio, rate: demo.rate })),
    );
    figures.push(...(await eyes(large)));
    await large.context().close();
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
  const noted = { loads: [] as number[], hand: 0, begins: 0, awake: NaN };
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
  // The page answers when a task can run after its elements have their handlers.
  const watch = new MutationObserver(() => {
    if (!document.querySelector("[data-awake]")) return;
    watch.disconnect();
    setTimeout(() => {
      noted.awake = performance.now();
    });
  });
  watch.observe(document, { subtree: true, childList: true, attributeFilter: ["data-awake"] });
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
async function median(measure: () => Promise<number>, turns = TURNS): Promise<number> {
  const all: number[] = [];
  for (let turn = 0; turn < turns; turn++) all.push(await measure());
  return all.sort((a, b) => a - b)[turns >> 1] ?? NaN;
}

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

/** A session of 200 tracks and 10,000 clips: until it is seen, until it answers, and how fluently it is moved about. */
async function eyes(page: Page): Promise<readonly BrowserFigure[]> {
  await page.locator("[data-awake]").waitFor({ timeout: 60_000 });
  const [picture, awake] = await page.evaluate(async () => {
    await new Promise((resolve) => setTimeout(resolve, 100));
    const { awake: answers } = (window as never as Noted).noted;
    return [performance.getEntriesByName("first-contentful-paint")[0]?.startTime ?? NaN, answers] as const;
  });
  await page.waitForTimeout(6000);
  const lanes = await page.getByRole("img", { name: /^Lanes/ }).boundingBox();
  if (!lanes) throw new Error("the lanes are not drawn");
  await page.mouse.move(lanes.x + lanes.width / 2, lanes.y + lanes.height / 2);
  const stolen = watchStolen();
  const fps = (ctrl: boolean): Promise<number> => median(() => fpsOfWheel(page, ctrl), LOOKS);
  const still = await median(() => stillFps(page), LOOKS);
  const moved = [await fps(false), await fps(true), await faderFps(page)] as const;
  return [
    {
      measure: "first_picture_ms",
      what: "opening 200 tracks and 10,000 clips, until they are seen",
      value: picture,
      target: 1500,
    },
    { measure: "interactive_ms", what: "until the page answers", value: awake, target: 3000 },
    // Where it is more than a few, or where a page that does nothing loses pictures, what follows says little.
    {
      measure: "stolen_percent",
      what: "of this machine's processors that others had meanwhile",
      value: stolen(),
      target: 5,
    },
    { measure: "still_fps", what: "pictures a second while nothing happens", value: still, target: 60 },
    { measure: "scroll_fps", what: "pictures a second while scrolling through time", value: moved[0], target: 60 },
    { measure: "zoom_fps", what: "pictures a second while zooming", value: moved[1], target: 60 },
    {
      measure: "fader_fps",
      what: "pictures a second while a fader is dragged and all of it plays",
      value: moved[2],
      target: 60,
    },
  ];
}

const stillFps = (page: Page): Promise<number> =>
  page.evaluate(async () => {
    const began = performance.now();
    let frames = 0;
    while (performance.now() - began < 3000) {
      await new Promise((resolve) => requestAnimationFrame(resolve));
      frames++;
    }
    return (frames * 1000) / (performance.now() - began);
  });

const fpsOfWheel = (page: Page, ctrl: boolean): Promise<number> =>
  page.evaluate(async (zooming) => {
    // No function has a name in here: what compiles this would leave something of its own behind that the page does
    // not know.
    const target = document.elementFromPoint(600, 300) ?? document.body;
    const wheel = { bubbles: true, cancelable: true, clientX: 600, clientY: 300 };
    // Close enough that there is something to scroll.
    if (!zooming)
      for (let i = 0; i < 6; i++)
        target.dispatchEvent(new WheelEvent("wheel", { ...wheel, ctrlKey: true, deltaY: -120 }));
    const began = performance.now();
    let frames = 0;
    while (performance.now() - began < 3000) {
      target.dispatchEvent(
        new WheelEvent("wheel", {
          ...wheel,
          ctrlKey: zooming,
          shiftKey: !zooming,
          deltaY: frames++ % 60 < 30 === zooming ? -40 : 40,
        }),
      );
      await new Promise((resolve) => requestAnimationFrame(resolve));
    }
    return (frames * 1000) / (performance.now() - began);
  }, ctrl);

/** Plays the session and drags the fader of its first track to and fro. */
async function faderFps(page: Page): Promise<number> {
  await page.keyboard.press("Home");
  const fader = await page
    .getByRole("slider", { name: /^Fader of / })
    .first()
    .boundingBox();
  if (!fader) throw new Error("no fader is drawn");
  const [x, y] = [fader.x + fader.width / 2, fader.y + fader.height / 2];
  await page.keyboard.press("Space");
  // Until what it plays with is compiled, and the rings are as far ahead as it needs.
  await page.waitForTimeout(12_000);
  await page.mouse.move(x, y);
  await page.mouse.down();
  let over = false;
  const counted = median(() => stillFps(page), LOOKS).finally(() => {
    over = true;
  });
  for (let i = 0; !over; i++) await page.mouse.move(x + 20 * Math.sin(i / 10), y);
  await page.mouse.up();
  await page.keyboard.press("Space");
  return counted;
}
