import { AiffReader } from "../../core/formats/aiff/read";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { WavReader } from "../../core/formats/wav/read";

/** A delivered file that is heard from where it lies: its address, and what is known of it. */
export interface RemoteFile {
  readonly address: string;
  readonly format: "wav" | "aiff" | "flac" | "mp3";
  readonly frames: number;
  readonly rate: number;
}

/** Names, marks and stamps stand in front of the samples; no real file has more of them. */
const HEAD_BYTES = 1 << 18;

/** What is there of a file: its head, and one stretch of it. */
class PartialSource implements ByteSource {
  private stretch = { at: 0, bytes: new Uint8Array(0) };

  constructor(
    readonly size: number,
    private readonly head: Uint8Array,
  ) {}

  hold(at: number, bytes: Uint8Array<ArrayBuffer>): void {
    this.stretch = { at, bytes };
  }

  read(at: number, into: Uint8Array): void {
    for (const { at: from, bytes } of [{ at: 0, bytes: this.head }, this.stretch]) {
      if (at < from || at + into.length > from + bytes.length) continue;
      into.set(bytes.subarray(at - from, at - from + into.length));
      return;
    }
    throw new MalformedFile("This part of the file has not been fetched", at);
  }
}

/** A range of a file, and how long the whole is. */
async function fetchBytes(address: string, from: number, to: number | null, signal: AbortSignal) {
  const response = await fetch(address, { headers: { Range: `bytes=${from}-${to === null ? "" : to - 1}` }, signal });
  if (!response.ok) throw new Error(await whyNot(response));
  const bytes = new Uint8Array(await response.arrayBuffer());
  const total = /\/(\d+)$/.exec(response.headers.get("Content-Range") ?? "")?.[1];
  return { bytes, size: total === undefined ? bytes.length : Number(total) };
}

async function whyNot(response: Response): Promise<string> {
  const answer = (await response.json().catch(() => null)) as { fault?: { what: string; todo: string } } | null;
  return answer?.fault
    ? `${answer.fault.what} ${answer.fault.todo}`
    : `The file cannot be fetched (${response.status}).`;
}

/** Gives stretches of a file's audio; all of a file that packs itself is fetched with the first of them. */
export class RemoteAudio {
  private opened: Promise<Stretches> | null = null;

  constructor(
    private readonly file: RemoteFile,
    private readonly context: BaseAudioContext,
    private readonly signal: AbortSignal,
  ) {}

  /** `frames` from frame `from` on, or fewer at the end; null behind it. Throws where it cannot be fetched. */
  async stretch(from: number, frames: number): Promise<AudioBuffer | null> {
    const count = Math.min(frames, this.file.frames - from);
    if (count <= 0) return null;
    this.opened ??= this.open().catch((error: unknown) => {
      // A line that broke may hold the next time.
      this.opened = null;
      throw error;
    });
    return (await this.opened)(from, count);
  }

  private async open(): Promise<Stretches> {
    const { address, format } = this.file;
    if (format === "flac" || format === "mp3") {
      const packed = await fetchBytes(address, 0, null, this.signal);
      const whole = await this.context.decodeAudioData(packed.bytes.buffer);
      return (from, count) => this.part(whole, from, count);
    }
    const head = await fetchBytes(address, 0, HEAD_BYTES, this.signal);
    const source = new PartialSource(head.size, head.bytes);
    const reader = format === "wav" ? WavReader.open(source) : AiffReader.open(source);
    return async (from, count) => {
      const wanted = reader.bytesFor(from, from + count);
      source.hold(wanted.from, (await fetchBytes(address, wanted.from, wanted.to, this.signal)).bytes);
      const left = new Float32Array(count);
      const right = new Float32Array(count);
      reader.read(from, count, left, right, 0);
      const made = this.context.createBuffer(reader.channels === 1 ? 1 : 2, count, this.file.rate);
      made.copyToChannel(left, 0);
      if (made.numberOfChannels === 2) made.copyToChannel(right, 1);
      return made;
    };
  }

  private part(whole: AudioBuffer, from: number, count: number): AudioBuffer {
    const scale = whole.sampleRate / this.file.rate;
    const first = Math.round(from * scale);
    const length = Math.max(1, Math.min(whole.length - first, Math.round(count * scale)));
    const made = this.context.createBuffer(whole.numberOfChannels, length, whole.sampleRate);
    for (let c = 0; c < whole.numberOfChannels; c++)
      made.copyToChannel(whole.getChannelData(c).subarray(first, first + length), c);
    return made;
  }
}

type Stretches = (from: number, count: number) => AudioBuffer | Promise<AudioBuffer>;
