import type { Browser, Page } from "@playwright/test";
import { median, type BrowserFigure } from "./speed-browser-figure";
import { watchStolen } from "./stolen";
import { openUnwatched } from "./unwatched";

const OPENINGS = 9;
/** Of what is measured in pictures a second: three seconds each. */
const LOOKS = 3;

/** Notes when the page answers: a task can run after its elements have their handlers. */
const WATCH = `{
  const watch = new MutationObserver(() => {
    if (!document.querySelector("[data-awake]")) return;
    watch.disconnect();
    setTimeout(() => { awakeAt = performance.now(); });
  });
  var awakeAt = NaN;
  watch.observe(document, { subtree: true, childList: true, attributeFilter: ["data-awake"] });
}`;
const READ = `({ picture: performance.getEntriesByName("first-contentful-paint")[0]?.startTime ?? NaN, awake: awakeAt })`;

/** Times since the page was asked for, in milliseconds. */
interface Opening {
  readonly picture: number;
  readonly awake: number;
}

/** Opens a session anew each time, in a browser that has nothing of it: until it is seen, and until it answers. */
export async function openings(browser: Browser, address: string): Promise<readonly BrowserFigure[]> {
  const all: Opening[] = [];
  for (let turn = 0; turn < OPENINGS; turn++) {
    // Until the server has measured its load, and nothing else is at work.
    const opening = await openUnwatched<Partial<Opening>>(browser, {
      address,
      begin: WATCH,
      read: READ,
      settleMs: 10_000,
    });
    // What is not a number in the page arrives as null.
    const { picture, awake } = opening;
    if (!picture || !awake) throw new Error(`the page did not answer: ${JSON.stringify(opening)}`);
    all.push({ picture, awake });
  }
  const middle = (of: "picture" | "awake") => all.map((o) => o[of]).sort((a, b) => a - b)[OPENINGS >> 1] ?? NaN;
  return [
    {
      measure: "first_picture_ms",
      what: "opening 200 tracks and 10,000 clips, until they are seen",
      value: middle("picture"),
      target: 600,
    },
    { measure: "interactive_ms", what: "until the page answers", value: middle("awake"), target: 1000 },
  ];
}

/** How fluently a session of 200 tracks and 10,000 clips is moved about. */
export async function eyes(page: Page): Promise<readonly BrowserFigure[]> {
  await page.locator("[data-awake]").waitFor({ timeout: 60_000 });
  await page.waitForTimeout(6000);
  const lanes = await page.getByRole("img", { name: /^Lanes/ }).boundingBox();
  if (!lanes) throw new Error("the lanes are not drawn");
  await page.mouse.move(lanes.x + lanes.width / 2, lanes.y + lanes.height / 2);
  const stolen = watchStolen();
  const fps = (ctrl: boolean): Promise<number> => median(() => fpsOfWheel(page, ctrl), LOOKS);
  const still = await median(() => stillFps(page), LOOKS);
  const moved = [await fps(false), await fps(true), await faderFps(page)] as const;
  return [
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
