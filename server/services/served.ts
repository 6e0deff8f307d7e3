import { stat } from "node:fs/promises";
import { notFound } from "../fault";

/** A file, or a part of one that stands for a file. */
export interface Served {
  readonly path: string;
  readonly start: number;
  readonly size: number;
}

/** A whole file of the disk. Throws where there is none. */
export async function wholeFile(path: string): Promise<Served> {
  return stat(path).then(
    (s) => ({ path, start: 0, size: s.size }),
    () => {
      throw notFound("such file any more");
    },
  );
}

/** First and last byte that a request asks for, of a file of `size` bytes. */
export const askedOf = (request: Request, size: number): { readonly from: number; readonly to: number } =>
  rangeOf(request.headers.get("range"), size) ?? { from: 0, to: size - 1 };

/**
 * First and last byte of the one range that a header asks for; `from` behind `to` where the file has none of it. Null
 * where the whole file is to be sent: nothing is asked for, several ranges are, or nothing that can be understood.
 * RFC 9110, 14.1.2 and 14.2.
 */
export function rangeOf(header: string | null, size: number): { readonly from: number; readonly to: number } | null {
  const [, first, last] = /^bytes=(\d*)-(\d*)$/i.exec(header?.trim() ?? "") ?? [];
  if (first === undefined || last === undefined || (first === "" && last === "")) return null;
  // Without a first byte, `last` is a count of bytes at the file's end.
  if (first === "") return { from: Math.max(0, size - Number(last)), to: Number(last) === 0 ? -1 : size - 1 };
  if (last !== "" && Number(last) < Number(first)) return null;
  return { from: Number(first), to: last === "" ? size - 1 : Math.min(Number(last), size - 1) };
}
