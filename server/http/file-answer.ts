import type { FileHandle } from "node:fs/promises";
import { open } from "node:fs/promises";
import type { Served } from "../services/served";
import { rangeOf, wholeFile } from "../services/served";

/** Streams a file, or the range of bytes that is asked for. `onSent` is called once, with the bytes that went out. */
export async function fileAnswer(
  request: Request,
  file: string | Served,
  headers: Record<string, string>,
  onSent?: (bytes: number) => void,
): Promise<Response> {
  const { path, start, size } = typeof file === "string" ? await wholeFile(file) : file;
  const range = rangeOf(request.headers.get("range"), size);
  const { from, to } = range ?? { from: 0, to: size - 1 };
  const all = {
    ...headers,
    "Accept-Ranges": "bytes",
    "Cache-Control": "private, max-age=31536000, immutable, no-transform",
    "Content-Length": String(to - from + 1),
  };
  if (range && from > to) return new Response(null, { status: 416, headers: { "Content-Range": `bytes */${size}` } });
  const body = fileStream(path, start + from, start + to + 1, request, onSent);
  return range
    ? new Response(body, { status: 206, headers: { ...all, "Content-Range": `bytes ${from}-${to}/${size}` } })
    : new Response(body, { headers: all });
}

const CHUNK_BYTES = 1 << 18;

/**
 * Bytes of a file as they are asked for. It is opened with the first of them, so that an answer whose body is never
 * read leaves nothing open. It is closed when all are out, or the reader cancels. Node's own bridge throws when a
 * reader leaves in the middle. The request is held on to: its signal is not told any more once that is collected.
 */
function fileStream(
  path: string,
  from: number,
  to: number,
  request: Request,
  onSent?: (bytes: number) => void,
): ReadableStream<Uint8Array> {
  let at = from;
  let file: Promise<FileHandle> | null = null;
  let tell = onSent;
  const close = async () => {
    tell?.(at - from);
    tell = undefined;
    const opened = file;
    file = null;
    request.signal.removeEventListener("abort", left);
    await (await opened)?.close();
  };
  const left = () => void close().catch(() => undefined);
  return new ReadableStream(
    {
      async pull(controller) {
        try {
          if (at >= to || request.signal.aborted) {
            controller.close();
            return await close();
          }
          if (file === null) request.signal.addEventListener("abort", left);
          const handle = await (file ??= open(path));
          const chunk = new Uint8Array(Math.min(CHUNK_BYTES, to - at));
          const { bytesRead } = await handle.read(chunk, 0, chunk.length, at);
          at += bytesRead;
          if (bytesRead > 0) controller.enqueue(chunk.subarray(0, bytesRead));
          if (bytesRead === 0 || at >= to) {
            controller.close();
            await close();
          }
        } catch (error) {
          await close().catch(() => undefined);
          throw error;
        }
      },
      cancel: close,
    },
    // Nothing is read ahead of the reader.
    { highWaterMark: 0 },
  );
}

/** A file name in a header: plain characters for old readers, the whole name for today's. RFC 6266, 4.3. */
export const attachment = (name: string): string =>
  `attachment; filename="${name.replace(/[^\x20-\x7e]|["\\]/g, "_")}"; filename*=UTF-8''${encodeURIComponent(name)}`;
