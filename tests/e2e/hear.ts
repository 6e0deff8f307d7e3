import type { Page } from "@playwright/test";

/** Everything that reaches the sound card, as the page made it. */
export interface Heard {
  readonly left: Float32Array;
  readonly right: Float32Array;
}

/** A quantum of the sound card, and when it was computed, in milliseconds of the page's clock. */
type Part = readonly [left: Float32Array, right: Float32Array, at: number];

/** What stands between a page and its sound card. */
export const RECORDER = `
registerProcessor("recorder", class extends AudioWorkletProcessor {
  constructor() { super(); this.parts = []; }
  process([input]) {
    if (input.length > 0) this.parts.push([input[0].slice(), (input[1] ?? input[0]).slice(), Date.now()]);
    if (this.parts.length >= 8) { this.port.postMessage(this.parts); this.parts = []; }
    return true;
  }
});`;

/**
 * Has a page write down what it sends to the sound card. Before the page is opened, and in a context that bypasses its
 * content policy.
 */
export const listenTo = (page: Page): Promise<unknown> => page.addInitScript(recordOutput, RECORDER);

/** In the page, before anything else: has everything that it sends to the sound card written down. */
export function recordOutput(recorder: string): void {
  const heard: Part[] = [];
  Object.assign(window, { heard });
  // An empty page has no sound.
  if (!("AudioWorklet" in window)) return;
  const addModule = AudioWorklet.prototype.addModule;
  AudioWorklet.prototype.addModule = async function (url, options) {
    await addModule.call(this, URL.createObjectURL(new Blob([recorder], { type: "text/javascript" })));
    return addModule.call(this, url, options);
  };
  const connect = AudioNode.prototype.connect as (this: AudioNode, to: AudioNode) => AudioNode;
  AudioNode.prototype.connect = function (this: AudioNode, to: AudioNode) {
    if (to instanceof AudioDestinationNode) {
      const node = new AudioWorkletNode(this.context, "recorder", { numberOfOutputs: 0 });
      node.port.onmessage = ({ data }: MessageEvent<Part[]>) => heard.push(...data);
      connect.call(this, node);
    }
    return connect.call(this, to);
  } as typeof AudioNode.prototype.connect;
}

/** What was heard so far, from the first sample that is not silent on. */
export const heard = async (page: Page): Promise<Heard> => decodeHeard(await page.evaluate(heardText));

/** In the page: what was written down, in base64. */
export function heardText(): string {
  const parts = (window as never as { heard: Part[] }).heard;
  const all = new Float32Array(parts.length * 256);
  parts.forEach(([left, right], i) => {
    all.set(left, i * 256);
    all.set(right, i * 256 + 128);
  });
  const bytes = new Uint8Array(all.buffer);
  let out = "";
  for (let i = 0; i < bytes.length; i += 32768) out += String.fromCharCode(...bytes.subarray(i, i + 32768));
  return btoa(out);
}

export function decodeHeard(text: string): Heard {
  const buffer = Buffer.from(text, "base64");
  const all = new Float32Array(buffer.buffer.slice(buffer.byteOffset, buffer.byteOffset + buffer.length));
  const frames = all.length / 2;
  const whole = { left: new Float32Array(frames), right: new Float32Array(frames) };
  for (let q = 0; q < frames / 128; q++) {
    whole.left.set(all.subarray(q * 256, q * 256 + 128), q * 128);
    whole.right.set(all.subarray(q * 256 + 128, q * 256 + 256), q * 128);
  }
  const first = whole.left.findIndex((x, i) => x !== 0 || whole.right[i] !== 0);
  return first < 0
    ? { left: new Float32Array(0), right: new Float32Array(0) }
    : { left: whole.left.subarray(first), right: whole.right.subarray(first) };
}

/** When each quantum was computed, and its peak on the left. */
export const heardWhen = (page: Page): Promise<readonly { readonly at: number; readonly peak: number }[]> =>
  page.evaluate(() =>
    (window as never as { heard: Part[] }).heard.map(([left, , at]) => ({
      at,
      peak: left.reduce((peak, x) => Math.max(peak, Math.abs(x)), 0),
    })),
  );

/** Forgets what was heard. */
export const hearAnew = (page: Page) =>
  page.evaluate(() => {
    (window as never as { heard: unknown[] }).heard.length = 0;
  });

/** Peak level of a stretch, as a factor. */
export const peakOf = ({ left, right }: Heard, from = 0, to = left.length): number => {
  let peak = 0;
  for (let i = Math.max(0, from); i < Math.min(to, left.length); i++)
    peak = Math.max(peak, Math.abs(left[i]!), Math.abs(right[i]!));
  return peak;
};

/** Longest run of exact silence, in frames. */
export function longestGap({ left, right }: Heard): number {
  let run = 0,
    longest = 0;
  for (let i = 0; i < left.length; i++) {
    run = left[i] === 0 && right[i] === 0 ? run + 1 : 0;
    longest = Math.max(longest, run);
  }
  return longest;
}

/** Where in `whole` the stretch `part` stands, from `near` on within `reach` frames; -1 if nowhere. */
export function find(whole: Heard, part: Heard, near: number, reach: number, tolerance = 0): number {
  const n = Math.min(2000, part.left.length);
  for (let at = Math.max(0, near - reach); at < near + reach && at + n <= whole.left.length; at++) {
    let i = 0;
    while (
      i < n &&
      Math.abs(whole.left[at + i]! - part.left[i]!) <= tolerance &&
      Math.abs(whole.right[at + i]! - part.right[i]!) <= tolerance
    )
      i++;
    if (i === n) return at;
  }
  return -1;
}
