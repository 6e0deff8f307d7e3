/// <reference lib="webworker" />
import { AudioCache } from "./audio-cache";
import { audioThrough } from "./audio-port";
import { Engine } from "./engine";
import type { FromEngine, ToEngine } from "./messages";
import { Ring } from "./ring";

/** The worker an engine lives in: its messages and its clock. */
let engine: Engine | null = null;

/** A message to ourselves comes after those that wait already. */
const { port1, port2 } = new MessageChannel();
const waiting: (() => void)[] = [];
port2.onmessage = () => waiting.shift()?.();
const pause = () =>
  new Promise<void>((resolve) => {
    waiting.push(resolve);
    port1.postMessage(null);
  });

addEventListener("message", ({ data }: MessageEvent<ToEngine>) => {
  switch (data.kind) {
    case "connect":
      engine = new Engine({
        ring: new Ring(data.ring),
        levels: new Float32Array(data.levels),
        cache: new AudioCache(audioThrough(data.audio)),
        pause,
        now: () => performance.now(),
        say: (message: FromEngine) => postMessage(message),
      });
      data.output.onmessage = ({ data: burst }: MessageEvent<number>) => engine?.drained(burst);
      return;
    case "start":
      return void engine?.start(data);
    case "prepare":
      return engine?.prepare(data.session, data.pass);
    case "turn":
      return engine?.turn(data.changes, data.soloed);
    case "stretch":
      return engine?.stretch();
    case "brace":
      return engine?.brace(data.on);
    case "watch":
      return engine?.watch(data.device);
    case "meter":
      return engine?.measure(data.track);
    case "rest":
      return engine?.rest();
  }
});
