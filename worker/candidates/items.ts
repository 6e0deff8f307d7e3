import { rmSync } from "node:fs";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile, bytesAt, tagAt } from "../../core/formats/bytes/bytes";
import { isCompound } from "../../core/formats/compound/read";
import { HEAD_BYTES } from "../../core/formats/audio-format";
import type { AudioKind } from "../../core/formats/registry";
import { audioFormats, formatOf } from "../../core/formats/registry";
import { BUNDLE_PARTS } from "../../contract/bundle";
import { MANIFEST_NAME } from "../../core/delivery/package-names";
import { OTIOZ_CONTENT } from "../../core/formats/otio/facts";
import { PROJECT_XML } from "../../core/formats/dawproject/facts";
import type { PieceOfFile } from "../../server/audio/file-bytes";
import { FileSource, pieceOf } from "../../server/audio/file-bytes";
import type { ZipEntry } from "../../server/packages/open-zip";
import { openZip } from "../../server/packages/open-zip";

/** A file as it was sent: where it is kept, and what it was called with the folders it was in. */
export interface SentFile {
  readonly stored: string;
  readonly path: string;
}

export type ItemKind =
  AudioKind | "aaf" | "adl" | "otio" | "otioz" | "dawproject" | "midi" | "bundle" | "package" | "zip" | "other";

/** A file that arrived, by itself or in a ZIP. */
export interface Item {
  /** With the folders it was in, and those of the ZIP behind its name. */
  readonly path: string;
  readonly kind: ItemKind;
  readonly source: ByteSource;
  /** Of a ZIP that is a session by itself: what is in it. */
  readonly entries: readonly ZipEntry[];
  /** It lies in a ZIP that is a session by itself. */
  readonly isPart: boolean;
  /** Where its bytes are, to be read in another thread. */
  piece(): PieceOfFile;
}

const MOST_ITEMS = 50_000;
/** Files of all ZIPs together, however deep they stand in one another. */
const MOST_ENTRIES = 100_000;
/** ZIPs that are opened, each of which costs a look at its directory. */
const MOST_ZIPS = 500;
/** How far a text is looked into to find out what it is. */
const LOOK_BYTES = 4096;
const DEEPEST_ZIP = 3;

/** More than is looked into at all: the whole is refused, not one file of it. */
class TooMuch extends MalformedFile {}

/** Files that arrived, opened; `close` lets go of them and removes what was unpacked. */
export class Arrived {
  readonly items: Item[] = [];
  /** What cannot be read at all, each with the reason. */
  readonly left: { readonly path: string; readonly why: string }[] = [];
  private entries = 0;
  private zips = 0;
  private readonly open: FileSource[] = [];
  private readonly scratch: string[] = [];

  /** `unfinished`: makes a path for what has to be unpacked. */
  constructor(private readonly unfinished: () => string) {}

  private onPiece: () => void = () => undefined;

  async take(files: readonly SentFile[], throwIfCancelled: () => void): Promise<void> {
    this.onPiece = throwIfCancelled;
    for (const { stored, path } of files) {
      throwIfCancelled();
      const source = new FileSource(stored);
      this.open.push(source);
      await this.add(clean(path), source, stored, 0, throwIfCancelled);
    }
  }

  close(): void {
    this.release();
    for (const path of this.scratch) rmSync(path, { force: true });
  }

  /** Lets go of the files, and leaves what was unpacked. */
  release(): void {
    for (const source of this.open) source.close();
    this.open.length = 0;
  }

  /** What was unpacked: for the caller to remove. */
  keep(): readonly string[] {
    return [...this.scratch];
  }

  /** Where the bytes of an entry of a ZIP are; what is packed is unpacked. */
  async pieceOfEntry(item: Item, entry: ZipEntry): Promise<PieceOfFile> {
    if (entry.stored) return pieceOf(item.piece().path, entry.stored);
    const to = this.unfinished();
    this.scratch.push(to);
    await entry.unpack(to, this.onPiece);
    return { path: to, head: null, ranges: [{ at: 0, bytes: entry.bytes }] };
  }

  /** A file that lies in `stored`, and what is in it where it is a ZIP. */
  async add(
    path: string,
    source: ByteSource,
    stored: string,
    depth: number,
    throwIfCancelled: () => void,
    isPart = false,
  ): Promise<void> {
    if (this.items.length >= MOST_ITEMS) throw new TooMuch(`There are more than ${MOST_ITEMS} files`);
    try {
      const kind = kindOf(source);
      if (kind !== "zip") {
        this.push({ path, kind, source, entries: [], isPart }, stored);
        return;
      }
      if (++this.zips > MOST_ZIPS) throw new TooMuch(`There are more than ${MOST_ZIPS} ZIPs in it`);
      const entries = await openZip(source);
      this.entries += entries.length;
      if (this.entries > MOST_ENTRIES) throw new TooMuch(`There are more than ${MOST_ENTRIES} files in its ZIPs`);
      const whole = zipKind(entries);
      if (whole !== "zip") {
        this.push({ path, kind: whole, source, entries, isPart }, stored);
        // A package holds its stems and session files, a project its audio.
        if (whole === "bundle") return;
      } else if (depth >= DEEPEST_ZIP) {
        this.left.push({ path, why: `ZIPs in ZIPs are opened ${DEEPEST_ZIP} deep` });
        return;
      }
      for (const entry of entries) {
        throwIfCancelled();
        const name = `${path.replace(/\.zip$/i, "")}/${clean(entry.name)}`;
        // What tells the session is read with the whole.
        if (isNoise(name) || (whole === "otioz" && entry.name === OTIOZ_CONTENT)) continue;
        if (entry.stored) await this.add(name, entry.stored, stored, depth + 1, throwIfCancelled, whole !== "zip");
        else {
          const to = this.unfinished();
          this.scratch.push(to);
          await entry.unpack(to, throwIfCancelled);
          const unpacked = new FileSource(to);
          this.open.push(unpacked);
          await this.add(name, unpacked, to, depth + 1, throwIfCancelled, whole !== "zip");
        }
      }
    } catch (error) {
      if (!(error instanceof MalformedFile) || error instanceof TooMuch) throw error;
      this.left.push({ path, why: error.message });
    }
  }

  private push(item: Omit<Item, "piece">, stored: string): void {
    if (!isNoise(item.path)) this.items.push({ ...item, piece: () => pieceOf(stored, item.source) });
  }
}

const AUDIO: ReadonlySet<string> = new Set(audioFormats.map((f) => f.kind));
export const isAudio = (kind: ItemKind): kind is AudioKind => AUDIO.has(kind);

/** What systems leave beside files that people do not mean. */
const isNoise = (path: string): boolean =>
  path
    .split("/")
    .some((part) => part === "__MACOSX" || part === ".DS_Store" || part === "Thumbs.db" || part.startsWith("._"));

/** A path without what leads upwards or out. */
function clean(path: string): string {
  const parts = path
    .replaceAll("\\", "/")
    .replaceAll("\0", "")
    .split("/")
    .filter((p) => p !== "" && p !== "." && p !== "..");
  return parts.join("/").slice(-400) || "file";
}

/** What a file is by its own bytes, whatever it is called. */
export function kindOf(source: ByteSource): ItemKind {
  const head = bytesAt(source, 0, Math.min(Math.max(HEAD_BYTES, LOOK_BYTES), source.size));
  if (head.length < 4) return "other";
  const tag = tagAt(head, 0);
  if (isCompound(head)) return "aaf";
  if (tag === "MThd" || (tag === "RIFF" && head.length >= 12 && tagAt(head, 8) === "RMID")) return "midi";
  if (tag.startsWith("PK") && (head[2] === 3 || head[2] === 5)) return "zip";
  const audio = formatOf(head);
  if (audio) return audio;
  const text = new TextDecoder("utf-8")
    .decode(head)
    .replace(/^\ufeff/, "")
    .trimStart();
  if (text.startsWith("<ADL>")) return "adl";
  if (text.startsWith("{") && /"OTIO_SCHEMA"/.test(text)) return "otio";
  return "other";
}

function zipKind(entries: readonly ZipEntry[]): ItemKind {
  const names = new Set(entries.map((e) => e.name));
  if (names.has(BUNDLE_PARTS.index)) return "bundle";
  if (names.has(PROJECT_XML)) return "dawproject";
  if (names.has(OTIOZ_CONTENT)) return "otioz";
  return entries.some((e) => /^[^/]+\/manifest\.json$/.test(e.name) && e.name.endsWith(`/${MANIFEST_NAME}`))
    ? "package"
    : "zip";
}
