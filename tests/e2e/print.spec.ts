import { createHash } from "node:crypto";
import { writeFileSync } from "node:fs";
import { build } from "esbuild";
import { WavReader } from "../../core/formats/wav/read";
import { openPackage } from "../../server/packages/read";
import type { Printed } from "./print.worker";
import { offlineTypes, resumeEveryDevice, type Resumed } from "./resumes";
import { expect, test } from "./stemzo";

/** A worker's code as one file; as a module, since what tests draw from is made while it loads. */
async function bundled(file: string, format: "iife" | "esm"): Promise<string> {
  const { outputFiles } = await build({
    entryPoints: [new URL(file, import.meta.url).pathname],
    bundle: true,
    write: false,
    format,
    platform: "browser",
    target: "es2023",
  });
  return outputFiles[0]!.text;
}

test("a print in Chromium's worker equals the server's, byte for byte", async ({ page, stemzo }, info) => {
  // Two bars, the 5/4 one first, of every instrument and nearly every effect, of stretched, reversed and crossfaded
  // clips, and of moving parameters.
  const id = await stemzo.demo((d) => ({
    ...d,
    sheet: { ...d.sheet, from: 12 * 3840, to: 14 * 3840 + 960, tail: "none", depth: "32f", rate: null },
  }));
  const { document } = await stemzo.state(id);
  const code = await bundled("./print.worker.ts", "iife");
  await stemzo.open(page, id);
  const inBrowser = await page.evaluate(
    async ({ code, session }) => {
      const audio: Record<string, ArrayBuffer> = {};
      for (const asset of session.assets) audio[asset.id] = await (await fetch(`/api/audio/${asset.id}`)).arrayBuffer();
      const worker = new Worker(URL.createObjectURL(new Blob([code], { type: "text/javascript" })));
      return new Promise<Printed>((resolve, reject) => {
        worker.onmessage = ({ data }) => resolve(data as Printed);
        worker.onerror = (event) => reject(new Error(event.message));
        worker.postMessage({ session, audio });
      });
    },
    { code, session: document as never as typeof document & { assets: { id: string }[] } },
  );

  const job = await stemzo.finished((await stemzo.post<{ id: string }>(`/api/sessions/${id}/exports`)).id);
  expect(job.fault).toBeNull();
  const zip = info.outputPath("package.zip");
  writeFileSync(
    zip,
    Buffer.from(await (await fetch(`${stemzo.address}/api/handoffs/${job.id}/package`)).arrayBuffer()),
  );
  const delivered = await openPackage(zip);
  const onServer = delivered.manifest.files.map(({ name }) => {
    const wav = WavReader.open(delivered.entries.get(name)!.source);
    const left = new Float32Array(wav.frames);
    const right = new Float32Array(wav.frames);
    wav.read(0, wav.frames, left, right, 0);
    return createHash("sha256").update(new Uint8Array(left.buffer)).update(new Uint8Array(right.buffer)).digest("hex");
  });
  delivered.close();
  expect(inBrowser.whole.length).toBe(document.sheet.rows.length + 1);
  expect(inBrowser.whole).toEqual(onServer);
  // From a checkpoint in the middle, the same.
  expect(inBrowser.resumed).toEqual(onServer);
});

test("every device goes on from a checkpoint to the same bits in Chromium's worker, and sounds there as in Node", async ({
  page,
  stemzo,
}) => {
  test.slow();
  const code = await bundled("./resumes.worker.ts", "esm");
  await stemzo.open(page, await stemzo.demo((d) => d));
  const inBrowser = await page.evaluate(
    (text) =>
      new Promise<Resumed>((resolve, reject) => {
        const url = URL.createObjectURL(new Blob([text], { type: "text/javascript" }));
        const worker = new Worker(url, { type: "module" });
        worker.onmessage = ({ data }) => resolve(data as Resumed);
        worker.onerror = (event) => reject(new Error(event.message));
      }),
    code,
  );
  expect(inBrowser.types).toEqual(offlineTypes);
  expect(inBrowser.checkpoints).toBeGreaterThan(10);
  expect(inBrowser.wrong).toBe(0);
  expect(inBrowser).toEqual(resumeEveryDevice());
});
