import { MissingAudio } from "../core/engine/library";
import type { AudioOrigin } from "./audio-cache";
import type { FromAudio, ToAudio } from "./messages";

type Asked = ToAudio extends infer M ? (M extends ToAudio ? Omit<M, "id"> : never) : never;

/** The audio worker as an engine sees it, through a port. */
export function audioThrough(port: MessagePort): AudioOrigin {
  const waiting = new Map<
    number,
    { readonly take: (reply: FromAudio) => void; readonly fail: (error: Error) => void }
  >();
  let ids = 0;
  port.onmessage = ({ data }: MessageEvent<FromAudio>) => {
    const asked = waiting.get(data.id);
    waiting.delete(data.id);
    if (data.kind !== "failed") asked?.take(data);
    else asked?.fail(data.missing === null ? new Error(data.what) : new MissingAudio(data.missing));
  };
  const ask = <K extends ToAudio["kind"]>(message: Extract<Asked, { kind: K }>) =>
    new Promise<Extract<FromAudio, { kind: K }>>((take, fail) => {
      const id = ++ids;
      waiting.set(id, { take: (reply) => take(reply as Extract<FromAudio, { kind: K }>), fail });
      port.postMessage({ ...message, id });
    });
  return {
    blocks: (asset, first, end) => ask<"blocks">({ kind: "blocks", asset, first, end }),
    reshaped: (reshape, rate) => ask<"reshaped">({ kind: "reshaped", reshape, rate }),
  };
}
