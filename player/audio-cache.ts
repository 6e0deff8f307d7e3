import type { AudioReader } from "../core/audio/audio-reader";
import type { AudioLibrary } from "../core/engine/library";
import { MissingAudio } from "../core/engine/library";
import type { AudioNeed } from "../core/engine/needs";
import type { ByteSource } from "../core/formats/bytes/bytes";
import { WavReader } from "../core/formats/wav/read";
import type { Reshape } from "../core/session/clips";
import { stretchedFrames } from "../core/session/bend";
import { reshapeKey } from "../core/session/clips";
import type { Frames, Hertz } from "../core/units";

export const BLOCK_BYTES = 1 << 17;
/** Beyond this, what was asked for longest ago is let go. */
const KEPT_BYTES = 1 << 28;

/** Where a cache gets what it does not have. Throws `MissingAudio`, or what the network throws. */
export interface AudioOrigin {
  /** Blocks `first` to `end` of an asset's file, or as many as there are; and how long the file is. */
  blocks(
    asset: string,
    first: number,
    end: number,
  ): Promise<{ readonly blocks: readonly Uint8Array[]; readonly size: number }>;
  /** An asset reshaped, as samples. */
  reshaped(reshape: Reshape, rate: Hertz): Promise<{ readonly left: Float32Array; readonly right: Float32Array }>;
}

/** Bytes that were not fetched before they were read. */
class NotLoaded extends Error {
  override readonly name = "NotLoaded";
  constructor(readonly at: number) {
    super("This audio has not been fetched yet.");
  }
}

/**
 * The audio that playing needs, fetched ahead in pieces and kept while it may be needed again; read without waiting.
 */
export class AudioCache {
  private readonly files = new Map<string, CachedFile>();
  private readonly reshaped = new Map<string, AudioReader>();

  constructor(private readonly origin: AudioOrigin) {}

  /** Reads from what is here. Whatever a session names must have been opened, and what is read been loaded. */
  readonly library: AudioLibrary = (asset, reshape = null) => {
    const made = reshape ? this.reshaped.get(reshapeKey(reshape)) : this.files.get(asset)?.reader();
    if (!made) throw new MissingAudio(asset);
    return made;
  };

  readonly framesOf = (asset: string, reshape: Reshape | null): Frames => {
    const frames = this.files.get(asset)?.facts?.frames ?? 0;
    return reshape ? stretchedFrames(frames, reshape) : frames;
  };

  /** Opens assets: afterwards their length is known and they can be read where they are loaded. */
  async open(assets: readonly string[]): Promise<void> {
    await Promise.all(assets.map((asset) => this.file(asset).open()));
  }

  /** Fetches what is needed and not here. */
  async load(needs: readonly AudioNeed[]): Promise<void> {
    await Promise.all(
      needs.flatMap(({ asset, reshape, from, to }) => (reshape ? [] : [this.file(asset).load(from, to)])),
    );
    this.trim();
  }

  async loadWhole(assets: readonly string[]): Promise<void> {
    await Promise.all(assets.map((asset) => this.file(asset).load(0, this.framesOf(asset, null))));
  }

  /** Gets reshaped audio that is not here yet. */
  async reshape(wanted: readonly Reshape[], rate: Hertz): Promise<void> {
    for (const reshape of wanted) {
      const key = reshapeKey(reshape);
      if (this.reshaped.has(key)) continue;
      const { left, right } = await this.origin.reshaped(reshape, rate);
      this.reshaped.set(key, {
        frames: left.length,
        channels: 2,
        read(from, count, l, r, offset) {
          l.set(left.subarray(from, from + count), offset);
          r.set(right.subarray(from, from + count), offset);
        },
      });
    }
  }

  /** Blocks of an asset's file as they are kept, for another cache; see `AudioOrigin`. */
  async blocks(asset: string, first: number, end: number): ReturnType<AudioOrigin["blocks"]> {
    const file = this.file(asset);
    await file.fetchBlocks(first, end);
    const blocks: Uint8Array[] = [];
    for (let n = first; n < end; n++) {
      const block = file.blocks.get(n);
      if (block) blocks.push(block.bytes);
    }
    this.trim();
    return { blocks, size: file.size };
  }

  private file(asset: string): CachedFile {
    const known = this.files.get(asset);
    if (known) return known;
    const file = new CachedFile((first, end) => this.origin.blocks(asset, first, end));
    this.files.set(asset, file);
    return file;
  }

  private trim(): void {
    const all = [...this.files.values()].flatMap((file) =>
      [...file.blocks].map(([number, block]) => ({ file, number, block })),
    );
    let bytes = all.reduce((sum, { block }) => sum + block.bytes.length, 0);
    if (bytes <= KEPT_BYTES) return;
    for (const { file, number, block } of all.sort((a, b) => a.block.used - b.block.used)) {
      // The first block holds the file's structure, which every reader looks at.
      if (bytes <= KEPT_BYTES || block.used >= recent()) break;
      if (number === 0) continue;
      file.blocks.delete(number);
      bytes -= block.bytes.length;
    }
  }
}

/** Counts what was asked for; what one `load` asks for is never let go by it. */
let uses = 0;
const KEPT_USES = 4096;
const recent = () => uses - KEPT_USES;

interface Block {
  readonly bytes: Uint8Array;
  used: number;
}

class CachedFile implements ByteSource {
  readonly blocks = new Map<number, Block>();
  private readonly coming = new Map<number, Promise<void>>();
  size = 0;
  /** A reader that is never read from: it knows where what lies. */
  facts: WavReader | null = null;
  private opening: Promise<void> | null = null;

  constructor(private readonly origin: (first: number, end: number) => ReturnType<AudioOrigin["blocks"]>) {}

  open(): Promise<void> {
    this.opening ??= this.readFacts().catch((error: unknown) => {
      this.opening = null;
      throw error;
    });
    return this.opening;
  }

  /** A file's structure may stand anywhere in it: whatever turns out to be missing is fetched. */
  private async readFacts(): Promise<void> {
    await this.fetchBlocks(0, 1);
    while (!this.facts) {
      try {
        this.facts = WavReader.open(this);
      } catch (error) {
        if (!(error instanceof NotLoaded)) throw error;
        const block = Math.floor(error.at / BLOCK_BYTES);
        await this.fetchBlocks(block, block + 1);
      }
    }
  }

  reader(): AudioReader | null {
    return this.facts?.again() ?? null;
  }

  async load(from: Frames, to: Frames): Promise<void> {
    await this.open();
    if (!this.facts || to <= from) return;
    const bytes = this.facts.bytesFor(from, to);
    await this.fetchBlocks(Math.floor(bytes.from / BLOCK_BYTES), Math.ceil(bytes.to / BLOCK_BYTES));
  }

  /** Fetches those of the blocks that are not here, neighbours in one piece. */
  async fetchBlocks(first: number, end: number): Promise<void> {
    const waits: Promise<void>[] = [];
    for (let block = first; block < end;) {
      const here = this.blocks.get(block);
      const coming = this.coming.get(block);
      if (here) here.used = ++uses;
      if (coming) waits.push(coming);
      if (here || coming) {
        block++;
        continue;
      }
      let to = block + 1;
      while (to < end && !this.blocks.has(to) && !this.coming.has(to)) to++;
      const fetched = this.fetchPiece(block, to);
      for (let b = block; b < to; b++) this.coming.set(b, fetched);
      waits.push(fetched);
      block = to;
    }
    await Promise.all(waits);
  }

  private async fetchPiece(first: number, end: number): Promise<void> {
    try {
      const { blocks, size } = await this.origin(first, end);
      this.size = size;
      for (const [i, bytes] of blocks.entries()) this.blocks.set(first + i, { bytes, used: ++uses });
    } finally {
      for (let block = first; block < end; block++) this.coming.delete(block);
    }
  }

  read(at: number, into: Uint8Array): void {
    for (let done = 0; done < into.length;) {
      const block = this.blocks.get(Math.floor((at + done) / BLOCK_BYTES));
      if (!block) throw new NotLoaded(at + done);
      const start = (at + done) % BLOCK_BYTES;
      const n = Math.min(into.length - done, block.bytes.length - start);
      if (n <= 0) throw new NotLoaded(at + done);
      into.set(block.bytes.subarray(start, start + n), done);
      done += n;
    }
  }
}
