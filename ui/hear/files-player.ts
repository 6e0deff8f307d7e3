import type { RemoteFile } from "./remote-audio";
import { RemoteAudio } from "./remote-audio";

/** A file among those that are heard together. */
export interface HeardFile extends RemoteFile {
  readonly key: string;
  /** It is one channel of two, and the other is a file of its own. */
  readonly side: "left" | "right" | null;
}

export interface PlayerState {
  readonly playing: boolean;
  /** What is to be heard next is still on its way. */
  readonly waiting: boolean;
  readonly fault: string | null;
}

/** What is fetched and scheduled at once, and how far ahead. */
const STRETCH_S = 4;
const AHEAD_S = 6;
const LOOK_MS = 200;
const SOON_S = 0.05;
/** A gain is moved in so long, so that it does not click. */
const GLIDE_S = 0.01;

/** Plays files that begin together, to the sample, from stretches that are fetched as they are needed. */
export class FilesPlayer {
  private readonly context: AudioContext;
  private readonly tracks: readonly {
    readonly file: HeardFile;
    readonly audio: RemoteAudio;
    readonly gain: GainNode;
  }[];
  private readonly stop = new AbortController();
  private timer: ReturnType<typeof setTimeout> | null = null;
  private sources: AudioBufferSourceNode[] = [];
  /** Counts starts: what was fetched for an earlier one is not scheduled. */
  private turn = 0;
  /** The clock's time at which the files' first frame was or would have been. */
  private zero = 0;
  private at = 0;
  private state: PlayerState = { playing: false, waiting: false, fault: null };

  constructor(
    files: readonly HeardFile[],
    private readonly tell: (state: PlayerState) => void,
  ) {
    const rate = files[0]?.rate ?? 48000;
    this.context = new AudioContext({ sampleRate: rate });
    const merger = this.context.createChannelMerger(2);
    merger.connect(this.context.destination);
    this.tracks = files.map((file) => {
      const gain = this.context.createGain();
      if (file.side === null) gain.connect(this.context.destination);
      else gain.connect(merger, 0, file.side === "left" ? 0 : 1);
      return { file, audio: new RemoteAudio(file, this.context, this.stop.signal), gain };
    });
  }

  get lengthS(): number {
    return this.tracks.reduce((most, { file }) => Math.max(most, file.frames / file.rate), 0);
  }

  /** In seconds from the files' first frame. */
  get positionS(): number {
    if (!this.state.playing || this.state.waiting) return this.at;
    return Math.min(this.lengthS, Math.max(this.at, this.context.currentTime - this.zero));
  }

  /** What is heard of each file: 1, 0, or -1 to take it away from the others. */
  mix(gainOf: (key: string) => number): void {
    for (const { file, gain } of this.tracks)
      gain.gain.setTargetAtTime(gainOf(file.key), this.context.currentTime, GLIDE_S);
  }

  async play(fromS = this.positionS): Promise<void> {
    this.silence();
    const turn = ++this.turn;
    this.at = fromS >= this.lengthS ? 0 : Math.max(0, fromS);
    this.say({ playing: true, waiting: true, fault: null });
    await this.context.resume();
    try {
      const first = await this.fetch(this.at);
      if (turn !== this.turn) return;
      this.zero = this.context.currentTime + SOON_S - this.at;
      this.schedule(first, this.at);
      this.say({ ...this.state, waiting: false });
      this.look(turn, this.at + STRETCH_S);
    } catch (error) {
      this.fail(turn, error);
    }
  }

  pause(): void {
    this.at = this.positionS;
    this.turn++;
    this.silence();
    this.say({ ...this.state, playing: false, waiting: false });
  }

  seek(toS: number): void {
    const held = Math.max(0, Math.min(this.lengthS, toS));
    if (this.state.playing) void this.play(held);
    else {
      this.at = held;
      this.say({ ...this.state });
    }
  }

  close(): void {
    this.turn++;
    this.silence();
    this.stop.abort();
    void this.context.close();
  }

  private say(state: PlayerState): void {
    this.state = state;
    this.tell(state);
  }

  private silence(): void {
    if (this.timer) clearTimeout(this.timer);
    for (const source of this.sources) source.stop();
    this.sources = [];
  }

  private fail(turn: number, error: unknown): void {
    if (turn !== this.turn || this.stop.signal.aborted) return;
    this.silence();
    const fault = error instanceof Error ? error.message : "It cannot be heard.";
    this.say({ playing: false, waiting: false, fault });
  }

  private fetch(fromS: number): Promise<readonly (AudioBuffer | null)[]> {
    return Promise.all(
      this.tracks.map(({ file, audio }) =>
        audio.stretch(Math.round(fromS * file.rate), Math.round(STRETCH_S * file.rate)),
      ),
    );
  }

  private schedule(stretches: readonly (AudioBuffer | null)[], fromS: number): void {
    this.tracks.forEach(({ gain }, i) => {
      const buffer = stretches[i];
      if (!buffer) return;
      const source = this.context.createBufferSource();
      source.buffer = buffer;
      source.connect(gain);
      source.onended = () => {
        this.sources = this.sources.filter((s) => s !== source);
      };
      source.start(this.zero + fromS);
      this.sources.push(source);
    });
  }

  /** Fetches and schedules what is `nextS` on, as soon as it is needed; begins anew where it came too late. */
  private look(turn: number, nextS: number): void {
    if (turn !== this.turn) return;
    if (this.positionS >= this.lengthS) return this.pause();
    const again = (ms: number, next: number) => {
      this.timer = setTimeout(() => this.look(turn, next), ms);
    };
    if (nextS >= this.lengthS || nextS - this.positionS > AHEAD_S) return again(LOOK_MS, nextS);
    this.fetch(nextS).then(
      (stretches) => {
        if (turn !== this.turn) return;
        if (this.context.currentTime > this.zero + nextS) {
          void this.play(nextS);
          return;
        }
        this.schedule(stretches, nextS);
        again(0, nextS + STRETCH_S);
      },
      (error: unknown) => this.fail(turn, error),
    );
  }
}
