import type { PrintRecord } from "../../contract/print";
import { makeDevice, makeNest } from "../../core/session/build";
import type { Session, Track } from "../../core/session/document";
import { choose, clipBox, expect, few, head, slip, test } from "./stemzo";

const done = { timeout: 60_000 };
const changed = (d: Session, id: string, patch: Partial<Track>): Session => ({
  ...d,
  tracks: d.tracks.map((t) => (t.id === id ? { ...t, ...patch } : t)),
});

test("found after a print, each mended by one press: a fade over the first hit, a tail that is cut, an edge that clicks", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) =>
    changed(few(d, ["rigging"]), "rigging", { devices: [makeDevice("v", "reverb", { decayS: 1.5, wet: 60 })] }),
  );
  await stemzo.open(page, id);
  await head(page, "Rigging").click();
  await page.keyboard.press("Shift+P");
  await choose(page, "Tail", /^without/);
  await page.keyboard.press("Control+Enter");
  const look = slip(page).getByRole("button", { name: /to look at$/ });
  await expect(look).toBeVisible(done);
  await look.click();
  const found = page.getByRole("dialog", { name: "What was found in the print" });
  await expect(found).toContainText("lies over its first hit");
  await expect(found).toContainText("its tail is cut");
  await expect(found).toContainText("ends with a jump");
  const frames = async () => {
    const clip = (await stemzo.state(id)).document.tracks.find((t) => t.name === "Rigging print")!.clips[0]!;
    return clip.kind === "audio" ? clip.frames : 0;
  };
  const short = await frames();
  // The edge is heard as it is, and as it would be, before anything is done to it.
  for (const how of ["as it is", "mended"]) {
    await found.getByRole("button", { name: `hear it ${how}` }).click();
    await expect(page.getByRole("button", { name: "Stop (Space)" })).toHaveAttribute("data-state", "playing");
    await expect(page.getByRole("button", { name: "Play (Space)" })).toHaveAttribute("data-state", "stopped");
  }
  expect((await stemzo.state(id)).undo).not.toContain("Fade");
  await found.getByRole("button", { name: "Fade half a millisecond" }).click();
  await expect
    .poll(async () => {
      const [c] = (await stemzo.state(id)).document.tracks.find((t) => t.name === "Rigging print")!.clips;
      return c?.kind === "audio" ? c.fadeOut.frames : 0;
    })
    .toBe(24);
  await found.getByRole("button", { name: "Print it again with its tail" }).click();
  await expect.poll(frames, done).toBeGreaterThan(short + 24_000);
  const [record] = await stemzo.get<readonly PrintRecord[]>(`/api/sessions/${id}/prints`);
  expect(record!.slip.tail).toBe("measured");
  // What is left is the attack: the fade is shortened on the parked source, and the print follows.
  await slip(page)
    .getByRole("button", { name: /to look at$/ })
    .click();
  await expect(found).not.toContainText("its tail is cut");
  const before = (await stemzo.state(id)).document.tracks.find((t) => t.name === "Rigging print")!.clips[0]!;
  await found.getByRole("button", { name: "Shorten the fade and print it again" }).first().click();
  await expect
    .poll(async () => {
      const [clip] = (await stemzo.state(id)).document.tracks.find((t) => t.name === "Rigging print")!.clips;
      return clip?.kind === "audio" && before.kind === "audio" && clip.asset !== before.asset;
    }, done)
    .toBe(true);
  expect(
    (await stemzo.track(id, "rigging")).clips.some(
      (c) => c.kind === "audio" && c.fadeIn.frames > 0 && c.fadeIn.frames <= 24,
    ),
  ).toBe(true);
});

test("before and after a print are heard, and their difference, switched without a gap", async ({ page, stemzo }) => {
  const id = await stemzo.demo((d) => few(d, ["buoy"]));
  await stemzo.open(page, id);
  await head(page, "Bell buoy").click();
  await page.keyboard.press("Shift+P");
  await page.keyboard.press("Control+Enter");
  await expect(slip(page)).toContainText(/sounds the same/, done);
  await slip(page).getByRole("button", { name: "hear both" }).click();
  const dialog = page.getByRole("dialog", { name: /^Before and after/ });
  // Both are heard at once, played by the page itself; the difference follows when it is written.
  const play = page.getByRole("region", { name: "Playing" });
  if (await dialog.getByText("The difference is written meanwhile").isVisible()) {
    await dialog.getByRole("button", { name: "Play" }).click();
    await expect(play.getByRole("button", { name: "Stop (Space)" })).toHaveAttribute("data-state", "playing");
    await dialog.getByRole("button", { name: "after" }).click();
    await expect(dialog.getByRole("button", { name: "after" })).toHaveAttribute("aria-pressed", "true");
    await expect(dialog.getByText("The difference is ready")).toBeVisible(done);
    await dialog.getByRole("button", { name: "Stop" }).click();
  }
  await expect(dialog.getByRole("button", { name: "difference" })).toBeVisible(done);
  await dialog.getByRole("button", { name: "Play" }).click();
  await expect(dialog.getByRole("button", { name: "Stop" })).toBeVisible();
  await dialog.getByRole("button", { name: "difference" }).click();
  await expect(dialog.getByRole("button", { name: "difference" })).toHaveAttribute("aria-pressed", "true");
  await expect(dialog.getByRole("button", { name: "Stop" })).toBeVisible();
  await expect(dialog).toContainText(/The difference (is silence|peaks at −\d{3} dBFS)/);
});

test("stale prints say what changed, and are refreshed one by one or all at once, as one step", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => few(d, ["buoy", "rope"]));
  for (const track of ["buoy", "rope"])
    await stemzo.finished(
      (
        await stemzo.post<{ id: string }>(`/api/sessions/${id}/prints`, {
          tracks: [track],
          tap: "devices",
          range: { by: "zero" },
        })
      ).id,
    );
  await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${id}/load`)).id);
  const { revision } = await stemzo.state(id);
  const gain = async (track: string) => ({
    id: `g-${track}`,
    step: {
      label: `Quieter ${track}`,
      edits: [
        { do: "set", in: "clips", track, id: (await stemzo.track(id, track)).clips[0]!.id, patch: { gainDb: -9 } },
      ],
    },
  });
  await stemzo.post(`/api/sessions/${id}/edits`, { base: revision, steps: [await gain("buoy"), await gain("rope")] });
  await stemzo.open(page, id, "/shelf");
  const row = page.getByRole("list", { name: "Audio" }).getByRole("listitem").filter({ hasText: "Bell buoy print" });
  await row.getByRole("button", { name: /^stale/ }).click();
  await expect(page.getByRole("dialog", { name: /^Changes since/ })).toContainText("Quieter buoy");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Refresh 2 stale prints" }).click();
  await expect.poll(async () => (await stemzo.state(id)).revision, done).toBe(revision + 3);
  await expect(page.getByRole("button", { name: "Refresh stale prints" })).toBeDisabled(done);
  expect((await stemzo.state(id)).undo).toBe("Refresh 2 prints");
});

test("a recipe is kept by name and says its sentence in another session; a hidden source is out of sight until it is asked for", async ({
  page,
  stemzo,
}) => {
  const [first, second] = [await stemzo.demo((d) => few(d, ["buoy"])), await stemzo.demo((d) => few(d, ["rope"]))];
  const name = `Wet stem ${first}`;
  await stemzo.open(page, first);
  await head(page, "Bell buoy").click();
  await page.keyboard.press("Shift+P");
  await choose(page, "Tap", /^after its fader/);
  await choose(page, "Returns", /^with its returns/);
  await choose(page, "Depth", /^in 24 bits/);
  await choose(page, "Afterwards", /^park and hide/);
  await slip(page).getByRole("button", { name: "Recipes" }).click();
  await page.getByRole("button", { name: "Save what the sentence says now" }).click();
  await page.getByRole("textbox", { name: "Name of the recipe" }).fill(name);
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: `Use ${name}` })).toBeVisible();
  await page.keyboard.press("Escape");
  await page.evaluate(() => localStorage.removeItem("stemzo-slip"));
  await stemzo.open(page, second);
  await page.getByRole("list", { name: "Tracks" }).getByRole("listitem").first().click();
  await page.keyboard.press("Shift+P");
  await expect(slip(page)).toContainText("after its devices");
  await slip(page).getByRole("button", { name: "Recipes" }).click();
  const row = page.getByRole("list", { name: "Recipes" }).getByRole("listitem").filter({ hasText: name });
  const key = await row.locator("kbd").textContent();
  await page.getByRole("button", { name: `Use ${name}` }).click();
  await page.keyboard.press("Escape");
  await expect(slip(page)).toContainText("after its fader");
  await expect(slip(page)).toContainText("in 24 bits");
  const count = (await stemzo.state(second)).document.tracks.length;
  // Its key prints by it, whatever the sentence said last.
  await choose(page, "Tap", /^at its clips/);
  await page.keyboard.press(key ?? "");
  await expect.poll(async () => (await stemzo.state(second)).document.tracks.length, done).toBe(count + 1);
  await expect(page.getByRole("list", { name: "Tracks" }).getByRole("listitem")).toHaveCount(count);
  await page.getByRole("button", { name: "Show 1 hidden track" }).click();
  await expect(page.getByRole("list", { name: "Tracks" }).getByRole("listitem")).toHaveCount(count + 1);
  await expect(page.getByRole("list", { name: "Tracks" })).toContainText("hidden");
});

test("inside a nest clips are moved and removed where they sound; frozen audio is handed to another track by dragging", async ({
  page,
  stemzo,
}) => {
  const id = await stemzo.demo((d) => {
    const two = few(d, ["buoy", "gulls", "rope"]);
    const buoy = two.tracks.find((t) => t.id === "buoy")!;
    const children = buoy.clips.flatMap((c) =>
      c.kind === "audio" ? [{ ...c, start: c.start - buoy.clips[0]!.start }] : [],
    );
    const start = buoy.clips[0]!.start;
    return changed(two, "buoy", {
      clips: [
        makeNest({
          id: "nest",
          name: "Three strokes",
          start,
          frames: Math.max(...children.map((c) => c.start + c.frames)),
          children,
        }),
      ],
    });
  });
  const children = async () => {
    const [c] = (await stemzo.track(id, "buoy")).clips;
    return c?.kind === "nest" ? c.children : [];
  };
  await stemzo.open(page, id);
  await page
    .getByRole("list", { name: "Clips" })
    .getByRole("button", { name: /^Three strokes/ })
    .dispatchEvent("click");
  await page.keyboard.press("e");
  const nest = page.getByRole("region", { name: "Nest" });
  const list = nest.getByRole("list", { name: "Clips in Three strokes" });
  await expect(list.getByRole("listitem")).toHaveCount(3);
  await list.getByRole("button").nth(1).click();
  const before = await children();
  await nest.getByRole("img", { name: /^What is in the nest/ }).focus();
  await page.keyboard.press("ArrowRight");
  await expect.poll(async () => (await children())[1]!.start).toBeGreaterThan(before[1]!.start);
  await nest.getByRole("textbox", { name: "Gain of the clip, dB" }).fill("-4");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await children())[1]!.gainDb).toBe(-4);
  // Muted, cut, pasted, faded into the one before: inside as anywhere.
  const silent = async () => (await children()).map((c) => c.muted);
  await nest.getByRole("button", { name: "Mute", exact: true }).click();
  await expect.poll(silent).toEqual([false, true, false]);
  await nest.getByRole("img", { name: /^What is in the nest/ }).focus();
  await page.keyboard.press("q");
  await expect.poll(silent).toEqual([false, false, false]);
  const top = (await stemzo.track(id, "buoy")).clips[0] as { start: number; offset: number };
  const second = (await children())[1] as { start: number; frames: number };
  const rate = (await stemzo.state(id)).document.rate;
  for (let s = 0; s * rate < top.start - top.offset + second.start + rate / 2; s += 0.625)
    await page.keyboard.press(".");
  await page.keyboard.press("Control+c");
  await page.keyboard.press("Control+v");
  await expect.poll(async () => (await children()).length).toBe(4);
  await page.keyboard.press("v");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await children()).length).toBe(3);
  await list.getByRole("button").nth(1).click();
  await nest.getByRole("button", { name: /^Remove .* from the nest$/ }).click();
  await expect.poll(async () => (await children()).length).toBe(2);
  await page.keyboard.press("e");
  // Taken out of their nest by one key, put into one again by another.
  const kinds = async () => (await stemzo.track(id, "buoy")).clips.map((c) => c.kind);
  await page.keyboard.press("Shift+g");
  await expect.poll(kinds).toEqual(["audio", "audio"]);
  await page.keyboard.press("Control+Shift+a");
  await page.keyboard.press("g");
  await expect.poll(kinds).toEqual(["nest"]);
  // Opening it had looked at it from near.
  await page.keyboard.press("0");

  const rope = (await stemzo.state(id)).document.tracks.findIndex((t) => t.id === "rope");
  const gulls = (await stemzo.state(id)).document.tracks.findIndex((t) => t.id === "gulls");
  await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${id}/freeze`, { tracks: ["rope"] })).id);
  await expect(page.getByRole("list", { name: "Tracks" }).getByRole("listitem").nth(rope)).toContainText("frozen");
  const state = await stemzo.state(id);
  const clip = state.document.tracks[rope]!.clips[0]!;
  const box = await clipBox(
    page,
    state,
    rope,
    clip.start,
    clip.kind === "audio" ? clip.start + clip.frames : clip.start,
  );
  const target = (await page.getByRole("list", { name: "Tracks" }).getByRole("listitem").nth(gulls).boundingBox())!;
  await page.mouse.move((box.x + box.right) / 2, box.y);
  await page.mouse.down();
  await page.mouse.move((box.x + box.right) / 2, (box.y + target.y) / 2, { steps: 3 });
  await page.mouse.move((box.x + box.right) / 2, target.y + target.height / 2, { steps: 3 });
  await page.mouse.up();
  await expect
    .poll(async () =>
      (await stemzo.track(id, "gulls")).clips
        .map((c) => (c.kind === "audio" ? [c.asset, c.start, c.offset, c.frames] : []))
        .at(-1),
    )
    // Straight down it sounds where it sounds, cut to the clip that was dragged.
    .toEqual([
      state.document.tracks[rope]!.frozen!.asset,
      clip.start,
      clip.start,
      clip.kind === "audio" ? clip.frames : 0,
    ]);
});
