import { rm } from "node:fs/promises";
import { WavWriter } from "../../core/formats/wav/write";
import type { Session } from "../../core/session/document";
import { reshapes } from "../../core/session/clips";
import { reshapeAudio } from "../../core/stretch/reshape";
import { makeStretcher } from "../../core/stretch/stretcher";
import { FileSink } from "./file-bytes";
import { moveIntoPlace, touched } from "./files";
import type { AudioStore } from "./store";

/** Makes what a session's clips need of stretched and transposed audio and is not there yet. Throws `MissingAudio`. */
export async function prepareReshaped(session: Session, store: AudioStore): Promise<void> {
  const wanted = reshapes(session);
  if (wanted.length === 0) return;
  const library = store.library();
  try {
    for (const reshape of wanted) {
      const path = store.reshapedPath(reshape);
      if (await touched(path)) continue;
      const audio = library.find(reshape.asset);
      const rate = session.assets.find((a) => a.id === reshape.asset)?.rate ?? session.rate;
      const unfinished = store.unfinished();
      const sink = new FileSink(unfinished);
      try {
        const writer = new WavWriter(sink, {
          format: { rate, channels: 2, depth: "32f" },
          bext: null,
          ditherSeed: null,
        });
        reshapeAudio(audio, reshape, await makeStretcher(rate), (left, right, offset, count) =>
          writer.write(left, right, offset, count),
        );
        writer.finish();
        sink.close();
      } catch (error) {
        sink.abandon();
        await rm(unfinished, { force: true });
        throw error;
      }
      // Another thread may make the same file: both are the same, and the last one to arrive stays.
      await moveIntoPlace(unfinished, path);
    }
  } finally {
    library.close();
  }
}
