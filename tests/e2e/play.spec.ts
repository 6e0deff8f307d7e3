import type { Page } from "@playwright/test";
import { tempoMap } from "../../core/time/tempo";
import type { Session } from "../../core/session/document";
import type { Heard } from "./hear";
import { find, hearAnew, heard, listenTo, longestGap, peakOf } from "./hear";
import { FADE } from "../../player/output";
import { BAR, RATE, light, printOf } from "./printed";
import type { Stemzo } from "./stemzo";
import { expect, head, test } from "./stemzo";
import { pass } from "./real-time";

// The recorder beside the sound card is the test's own script.
// Drawing without a graphics card takes more than playing: less motion leaves the machine to what is measured.
test.use({ bypassCSP: true, trace: "off", contextOptions: { reducedMotion: "reduce" } });

/** Where the page says the playhead is, in seconds. */
async function playhead(page: Page): Promise<number> {
  const text = (await page.getByRole("timer", { name: "Playhead" }).textContent()) ?? "";
  const [, minutes, seconds] = /^\d+\.\d+\.\d{3}(\d+):(\d\d\.\d{3})$/.exec(text) ?? [];
  return Number(minutes) * 60 + Number(seconds);
}

async function ready(page: Page, stemzo: Stemzo): Promise<string> {
  const id = await stemzo.demo(light);
  await listenTo(page);
  await stemzo.open(page, id);
  // The first touch opens the sound card.
  await page.keyboard.press("Escape");
  // The engines have what they need, and the server on the same machine is done with measuring the load.
  await expect(page.locator('[aria-label="Playing"][data-ready]')).toBeVisible({ timeout: 60_000 });
  await expect(page.locator("[data-load]")).toHaveText(/\d\.\d\d/, { timeout: 60_000 });
  return id;
}

/** Where ticks of a session stand on the ruler, when all of it is shown. */
async function rulerOf(page: Page, { tracks, tempo: points }: Session) {
  const box = (await page.getByRole("img", { name: /^Lanes/ }).boundingBox())!;
  const { y } = (await page.getByRole("img", { name: "Bars, meter and tempo" }).boundingBox())!;
  const end = Math.max(...tracks.flatMap((t) => t.clips.map((c) => (c.kind === "audio" ? c.start + c.frames : 0))));
  const tempo = tempoMap(points, RATE);
  return {
    tempo,
    xOf: (tick: number) => box.x + tempo.toFrames(tick) / ((end * 1.04) / box.width),
    y: y + 15,
  };
}

const play = (page: Page) => page.getByRole("button", { name: "Play (Space)" });
const isPlaying = (page: Page) => expect(page.locator('[aria-label="Playing"] [data-state="playing"]')).toBeVisible();
const trimmed = (x: Heard, from: number, to: number): Heard => ({
  left: x.left.subarray(from, to),
  right: x.right.subarray(from, to),
});
const missed = async (page: Page) =>
  Number(await page.getByRole("region", { name: "Playing" }).getAttribute("data-missed"));

/**
 * Plays, does something meanwhile, stops, and answers with what was heard. A machine that is busy with other things may
 * not keep up: the page says so and keeps further ahead, and it is done again from where it began until nothing is
 * missing; `back` puts things as they were. The test's own time is all that ends this.
 */
async function playing(
  page: Page,
  seconds: number,
  {
    meanwhile = () => Promise.resolve(),
    back = () => page.keyboard.press("Home"),
  }: { readonly meanwhile?: () => Promise<void>; readonly back?: () => Promise<void> } = {},
): Promise<Heard> {
  for (;;) {
    await hearAnew(page);
    await page.keyboard.press("Space");
    await isPlaying(page);
    // A sound card may take seconds to open.
    await expect.poll(async () => (await heard(page)).left.length, { timeout: 30_000 }).toBeGreaterThan(0);
    await meanwhile();
    await pass(page, seconds);
    const [all, gone] = [await heard(page), await missed(page)];
    await page.keyboard.press("Space");
    await expect(play(page)).toBeVisible();
    if (gone === 0) return all;
    await back();
    await pass(page, 2.5);
  }
}

test("from the session's zero, what is heard is the server's print of the mix, sample for sample", async ({
  page,
  stemzo,
}, info) => {
  const id = await ready(page, stemzo);
  // However long the sound card takes to open.
  const all = await playing(page, 0.5, {
    meanwhile: () => expect.poll(() => playhead(page), { timeout: 30_000 }).toBeGreaterThan(7),
  });
  const at = await playhead(page);

  const print = await printOf(stemzo, id, info, 4 * BAR);
  const first = print.left.findIndex((x, i) => x !== 0 || print.right[i] !== 0);
  // What was heard and where the playhead stood, a moment later, tell the same.
  expect(Math.abs(at - (first + all.left.length) / RATE)).toBeLessThan(3);
  const frames = Math.min(all.left.length - 8192, 6 * RATE);
  expect(frames).toBeGreaterThan(5 * RATE);
  let different = 0;
  for (let i = 0; i < frames; i++)
    if (all.left[i] !== print.left[first + i] || all.right[i] !== print.right[first + i]) different++;
  expect(different).toBe(0);
  expect(peakOf(all, 0, frames)).toBeGreaterThan(0.05);
});

test("after a press on the ruler it plays from there, soon with all that rings from before; again from there, at once", async ({
  page,
  stemzo,
}, info) => {
  const id = await ready(page, stemzo);
  const { tempo, xOf, y } = await rulerOf(page, (await stemzo.state(id)).document);
  // A press snaps to the beat: near bar 6 is bar 6.
  const frame = tempo.toFrames(5 * BAR);
  const press = () => page.mouse.click(xOf(5 * BAR), y);
  await press();
  await expect.poll(() => playhead(page)).toBeCloseTo(frame / RATE, 2);
  await pass(page, 2);
  // However long the sound card takes to open.
  const all = await playing(page, 0.5, {
    meanwhile: () => expect.poll(() => playhead(page), { timeout: 60_000 }).toBeGreaterThan(frame / RATE + 7),
    back: press,
  });
  await press();
  await expect.poll(() => playhead(page)).toBeCloseTo(frame / RATE, 2);
  await pass(page, 2);
  const again = await playing(page, 1, { back: press });

  const print = await printOf(stemzo, id, info, 10 * BAR);
  const differences = (heard: Heard, from: number, to: number) => {
    let count = 0;
    for (let i = from; i < to; i++)
      if (heard.left[i] !== print.left[frame + i] || heard.right[i] !== print.right[frame + i]) count++;
    return count;
  };
  expect(all.left.length).toBeGreaterThan(2.5 * RATE);
  let worst = 0;
  for (let i = 0; i < 2.5 * RATE; i++)
    worst = Math.max(
      worst,
      Math.abs(all.left[i]! - print.left[frame + i]!),
      Math.abs(all.right[i]! - print.right[frame + i]!),
    );
  // The hall's tail falls by 60 dB in a little more than the pre-roll's two seconds.
  expect(worst).toBeLessThan(10 ** (-50 / 20));
  // What was rendered silently from the session's zero has taken over.
  expect(all.left.length).toBeGreaterThan(6 * RATE);
  expect(differences(all, 5.5 * RATE, 6 * RATE)).toBe(0);
  // It left what it remembered on its way: from the first frame on, nothing is missing.
  expect(again.left.length).toBeGreaterThan(0.5 * RATE);
  expect(differences(again, 0, 0.5 * RATE)).toBe(0);
});

test("a seek while it plays is the print from the first frame behind the crossfade, where playing was before", async ({
  page,
  stemzo,
}, info) => {
  const id = await ready(page, stemzo);
  const { tempo, xOf, y } = await rulerOf(page, (await stemzo.state(id)).document);
  const frame = tempo.toFrames(2 * BAR);
  const print = await printOf(stemzo, id, info, 6 * BAR);
  const exact = trimmed(print, frame + FADE, print.left.length);
  // On a machine that is busy, playing leaves no checkpoints, and a place begins with a pre-roll: then once more, for
  // as long as the test has time.
  for (let from = -1; from < 0;) {
    let pressed = 0;
    const all = await playing(page, 2.5, {
      meanwhile: async () => {
        await expect.poll(() => playhead(page), { timeout: 60_000 }).toBeGreaterThan(frame / RATE + 2);
        pressed = (await heard(page)).left.length;
        await page.mouse.click(xOf(2 * BAR), y);
        await expect.poll(() => playhead(page), { timeout: 5000 }).toBeLessThan(frame / RATE + 2);
      },
    });
    from = find(all, exact, pressed + RATE, RATE);
    let different = 0;
    for (let i = 0; from >= 0 && i < 1.5 * RATE; i++)
      if (all.left[from + i] !== exact.left[i] || all.right[from + i] !== exact.right[i]) different++;
    expect(different).toBe(0);
    expect(longestGap(trimmed(all, pressed, all.left.length))).toBeLessThan(64);
    await page.keyboard.press("Home");
    await pass(page, 2);
  }
});

test("solo and mute are heard while it plays, without a gap", async ({ page, stemzo }) => {
  const id = await ready(page, stemzo);
  const valve = page.getByRole("button", { name: "Mute Mix" });
  let alone = 1,
    shut = 0,
    again = 0,
    open = 0;
  const all = await playing(page, 1, {
    meanwhile: async () => {
      await pass(page, 1);
      shut = (await heard(page)).left.length;
      // Gulls are muted in the demo: heard alone, there is nothing but what already rings.
      await page.getByRole("button", { name: "Hear only Gulls" }).click();
      await pass(page, 2.5);
      const before = (await heard(page)).left.length;
      await pass(page, 0.5);
      alone = peakOf(await heard(page), before);
      await page.keyboard.press("Shift+S");
      await pass(page, 0.4);
      again = (await heard(page)).left.length;
      await pass(page, 0.6);
      open = (await heard(page)).left.length;
      await valve.click();
    },
    back: async () => {
      await valve.click();
      await page.keyboard.press("Home");
    },
  });
  expect(longestGap(trimmed(all, 0, shut))).toBeLessThan(64);
  expect(alone).toBeLessThan(0.01);
  expect(longestGap(trimmed(all, again, open))).toBeLessThan(64);
  expect(peakOf(all, again, open)).toBeGreaterThan(0.01);
  expect(peakOf(all, all.left.length - RATE / 2)).toBe(0);
  // Auditioning is no edit: only the valve is.
  expect((await stemzo.state(id)).undo).toBe("Mute of Mix");
});

test("a change that needs another graph takes over without a gap, and is then what is heard", async ({
  page,
  stemzo,
}, info) => {
  const id = await ready(page, stemzo);
  const { document } = await stemzo.state(id);
  const mix = document.tracks.find((t) => t.kind === "mix")!;
  const limiter = mix.devices.find((d) => d.type === "limiter")!;
  let on = true;
  const all = await playing(page, 3, {
    meanwhile: async () => {
      await pass(page, 1.2);
      // The limiter at the end of the mix goes, or comes back: another latency, another graph.
      on = !on;
      const edits = [{ do: "set", in: "devices", track: mix.id, id: limiter.id, patch: { on } }];
      await stemzo.post(`/api/sessions/${id}/edits`, {
        base: (await stemzo.state(id)).revision,
        steps: [{ id: `e2e-limiter-${on}-${Date.now()}`, step: { label: "Limiter", edits } }],
      });
      await expect
        .poll(async () => (await stemzo.track(id, mix.id)).devices.find((d) => d.id === limiter.id)!.on)
        .toBe(on);
    },
  });
  expect(longestGap(all)).toBeLessThan(64);

  // The last second is the print of the changed session, but for what rings from before the pre-roll.
  const print = await printOf(stemzo, id, info, 6 * BAR);
  const last = trimmed(all, all.left.length - RATE, all.left.length);
  expect(find(print, last, 4 * RATE, 4 * RATE, 0.003)).toBeGreaterThan(0);
});

test("a loop goes round and round, from its second round on as the print is", async ({ page, stemzo }, info) => {
  const id = await ready(page, stemzo);
  const { tempo, xOf, y } = await rulerOf(page, (await stemzo.state(id)).document);
  const x = (bar: number) => xOf((bar - 1) * BAR);
  await page.mouse.move(x(2), y);
  await page.mouse.down();
  await page.mouse.move(x(2.5), y, { steps: 3 });
  await page.mouse.move(x(3), y, { steps: 3 });
  await page.mouse.up();
  await expect(page.getByRole("img", { name: "Marked: 2.1.000 to 3.1.000" })).toBeVisible();
  await page.keyboard.press("l");
  const toBar2 = () => page.mouse.click(x(2), y);
  await toBar2();
  await pass(page, 2);
  const bar = tempo.toFrames(2 * BAR) - tempo.toFrames(BAR);
  const print = await printOf(stemzo, id, info, 3 * BAR);
  const start = tempo.toFrames(BAR);
  let different = Infinity;
  // A machine that is busy may come round late: then once more, for as long as the test has time.
  while (different > 0) {
    let at = 0;
    const all = await playing(page, 0, {
      meanwhile: async () => {
        await pass(page, (3.4 * bar) / RATE);
        at = await playhead(page);
      },
      back: toBar2,
    });
    expect(at).toBeGreaterThanOrEqual(tempo.toFrames(BAR) / RATE - 0.05);
    expect(longestGap(all)).toBeLessThan(64);
    // To the sample, away from the seam.
    different = at < tempo.toFrames(2 * BAR) / RATE + 0.05 ? 0 : Infinity;
    for (const round of [1, 2])
      for (let i = 400; i < bar - 400; i++) if (all.left[round * bar + i] !== print.left[start + i]) different++;
    await toBar2();
    await pass(page, 2);
  }
});

test("tempo, position and time follow the playhead; keys move it by bars", async ({ page, stemzo }) => {
  await ready(page, stemzo);
  const timer = page.getByRole("timer", { name: "Playhead" });
  await expect(timer).toHaveText(/^1\.1\.000/);
  await page.keyboard.press(".");
  await page.keyboard.press(".");
  await expect(timer).toHaveText(/^3\.1\.000/);
  await page.keyboard.press(",");
  await expect(timer).toHaveText(/^2\.1\.000/);
  await page.keyboard.press("Home");
  await expect(timer).toHaveText(/^1\.1\.000/);
  await expect(page.getByRole("region", { name: "Playing" })).toContainText("96  4/4");
  await head(page, "Water bed").click();
  await page.keyboard.press("s");
  await expect(page.getByRole("button", { name: "Hear only Water bed" })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("s");
  await expect(page.getByRole("button", { name: "Hear only Water bed" })).toHaveAttribute("aria-pressed", "false");
});

test("meters show the tracks that sound while it plays, and nothing once it has stopped", async ({ page, stemzo }) => {
  const id = await ready(page, stemzo);
  const names = (await stemzo.state(id)).document.tracks.map((t) => t.name);
  /** How high each track's meter stands, in pixels: those that are not of the colour of an empty one. */
  const heights = (): Promise<readonly number[]> =>
    page.locator("canvas[data-meters]").evaluate((canvas: HTMLCanvasElement, rows) => {
      const { data } = canvas.getContext("2d")!.getImageData(1, 0, 1, canvas.height);
      const pixels = Array.from({ length: canvas.height }, (_, y) => data.slice(4 * y, 4 * y + 4).join());
      const height = canvas.height / rows;
      return Array.from({ length: rows }, (_, row) => {
        const [empty, ...rest] = pixels.slice(Math.ceil(row * height) + 4, Math.floor((row + 1) * height) - 4);
        return rest.filter((pixel) => pixel !== empty).length;
      });
    }, names.length);
  const of = async (name: string) => (await heights())[names.indexOf(name)]!;
  expect(await heights()).toEqual(names.map(() => 0));
  await page.keyboard.press("Space");
  await expect.poll(() => of("Water bed"), { timeout: 30_000 }).toBeGreaterThan(2);
  await expect.poll(() => of("Mix"), { timeout: 30_000 }).toBeGreaterThan(2);
  expect(await of("Gulls")).toBe(0);
  await page.keyboard.press("Space");
  await expect.poll(heights, { timeout: 5_000 }).toEqual(names.map(() => 0));
});

test("dynamics show how far they hold back what passes it, while it plays", async ({ page, stemzo }) => {
  await ready(page, stemzo);
  await page.getByRole("button", { name: "Limit on Mix", exact: true }).click();
  const held = page.getByRole("status", { name: "Gain reduction" });
  await expect(held).toHaveText("");
  // A ceiling so low that the limiter always works.
  const ceiling = page.getByRole("slider", { name: "Ceiling" });
  await ceiling.focus();
  await page.keyboard.press("Home");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Space");
  await page.getByRole("button", { name: "Limit on Mix", exact: true }).click();
  await expect(held).toHaveText(/^reduced by (?:[3-9]|1\d|2\d)\.\d dB$/, { timeout: 15_000 });
  await page.keyboard.press("Escape");
  await page.keyboard.press("Space");
});
