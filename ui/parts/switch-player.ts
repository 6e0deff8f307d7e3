/**
 * Plays several recordings of the same stretch at once and lets one of them be heard; changing which makes no gap and
 * no jump in time.
 */
export class SwitchPlayer {
  private readonly context = new AudioContext();
  private readonly gains: GainNode[] = [];
  private sources: AudioBufferSourceNode[] = [];
  private buffers: readonly AudioBuffer[] = [];
  private heard = 0;

  /** Long enough not to click, too short to be heard as a fade. */
  private static readonly SWITCH_S = 0.01;

  constructor(private readonly onEnd: () => void) {}

  /** Throws when one of them cannot be fetched or read. */
  async load(addresses: readonly string[]): Promise<void> {
    const loaded = new Map<string, Promise<AudioBuffer>>();
    // Two that are the same file are fetched once.
    for (const address of addresses) if (!loaded.has(address)) loaded.set(address, this.fetched(address));
    this.buffers = await Promise.all(addresses.map((address) => loaded.get(address) ?? this.fetched(address)));
  }

  private async fetched(address: string): Promise<AudioBuffer> {
    const answer = await fetch(address);
    if (!answer.ok) throw new Error(`the audio could not be fetched (${answer.status})`);
    return this.context.decodeAudioData(await answer.arrayBuffer());
  }

  async play(): Promise<void> {
    this.stop();
    await this.context.resume();
    const at = this.context.currentTime + 0.02;
    this.buffers.forEach((buffer, i) => {
      const gain = (this.gains[i] ??= new GainNode(this.context));
      gain.gain.cancelScheduledValues(0);
      gain.gain.value = i === this.heard ? 1 : 0;
      const source = new AudioBufferSourceNode(this.context, { buffer });
      source.connect(gain).connect(this.context.destination);
      source.start(at);
      if (i === 0)
        source.onended = () => {
          if (this.sources.includes(source)) this.ended();
        };
      this.sources.push(source);
    });
  }

  hear(which: number): void {
    this.heard = which;
    const now = this.context.currentTime;
    this.gains.forEach((g, i) => g.gain.setTargetAtTime(i === which ? 1 : 0, now, SwitchPlayer.SWITCH_S / 3));
  }

  stop(): void {
    for (const source of this.sources.splice(0)) source.stop();
  }

  close(): void {
    this.stop();
    void this.context.close();
  }

  private ended(): void {
    this.sources = [];
    this.onEnd();
  }
}
