import type { FromOutput, ToOutput } from "./messages";
import { Bursts } from "./bursts";
import { Missing } from "./missing";
import { Output } from "./output";
import { Ring } from "./ring";

/** The part of the audio worklet's scope used here; TypeScript's libraries do not declare it. */
declare const AudioWorkletProcessor: { new (): { readonly port: MessagePort } };
declare function registerProcessor(name: string, processor: new () => object): void;

registerProcessor(
  "stemzo-output",
  class extends AudioWorkletProcessor {
    private output: Output | null = null;
    private readonly bursts = new Bursts(() => Date.now());
    private readonly missing = new Missing();
    private clock: Int32Array | null = null;

    private readonly tellMissed = (frames: number) => this.say({ kind: "missed", frames });

    constructor() {
      super();
      this.port.onmessage = ({ data }: MessageEvent<ToOutput>) => this.hear(data);
    }

    private say(message: FromOutput): void {
      this.port.postMessage(message);
    }

    private hear(message: ToOutput): void {
      switch (message.kind) {
        case "connect": {
          const { engines } = message;
          this.clock = new Int32Array(message.clock);
          this.output = new Output([new Ring(message.rings[0]), new Ring(message.rings[1])], {
            missed: (frames) => this.missing.add(frames),
            tookOver: (ring) => this.say({ kind: "took over", ring }),
            stopped: () => this.say({ kind: "stopped" }),
            drained: (ring) => engines[ring as 0 | 1].postMessage(this.bursts.usual),
          });
          return;
        }
        case "play":
          return this.output?.play(message.ring);
        case "stop":
          return this.output?.stop();
        case "take over":
          return this.output?.takeOver(message.how);
        case "forget":
          return this.output?.forget();
      }
    }

    process(_inputs: unknown, [out]: readonly (readonly Float32Array[])[]): boolean {
      const [left, right] = out ?? [];
      if (!this.output || !this.clock || !left || !right) return true;
      this.bursts.count(left.length);
      this.output.process(left, right);
      this.missing.tell(Date.now(), this.tellMissed);
      if (this.output.isPlaying) Atomics.store(this.clock, 0, this.output.position);
      return true;
    }
  },
);
