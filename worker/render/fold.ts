import type { Sink } from "../../core/engine/render";
import { DEFAULT_BLOCK } from "../../core/engine/render";
import type { OutputFile } from "../files/output-file";

/** A sink that gets half the sum of both channels, or one of them, in both. */
export function folded(sink: Sink, how: NonNullable<OutputFile["fold"]>): Sink {
  const mono = new Float32Array(DEFAULT_BLOCK);
  return (left, right, offset, count) => {
    for (let done = 0; done < count; done += mono.length) {
      const n = Math.min(mono.length, count - done);
      if (how === "mono")
        for (let i = 0; i < n; i++)
          mono[i] = ((left[offset + done + i] as number) + (right[offset + done + i] as number)) / 2;
      else mono.set((how === "left" ? left : right).subarray(offset + done, offset + done + n));
      sink(mono, mono, 0, n);
    }
  };
}
