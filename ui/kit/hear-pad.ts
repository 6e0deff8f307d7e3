import type { Layer } from "../../core/session/document";
import { audioAddress } from "../session/api";

let context: AudioContext | null = null;
const buffers = new Map<string, Promise<AudioBuffer>>();

function bufferOf(audio: AudioContext, hash: string): Promise<AudioBuffer> {
  const known = buffers.get(hash);
  if (known) return known;
  const loaded = fetch(audioAddress(hash)).then(async (answer) => {
    if (!answer.ok) throw new Error(`its audio could not be fetched (${answer.status})`);
    return audio.decodeAudioData(await answer.arrayBuffer());
  });
  buffers.set(hash, loaded);
  loaded.catch(() => buffers.delete(hash));
  return loaded;
}

/**
 * Strikes layers together, at their levels and tunings, as the kit does but for its interpolation. For listening only.
 * Throws when audio cannot be had.
 */
export async function hearLayers(layers: readonly Layer[]): Promise<void> {
  const audio = (context ??= new AudioContext());
  await audio.resume();
  const loaded = await Promise.all(layers.map((l) => bufferOf(audio, l.asset)));
  const at = audio.currentTime + 0.01;
  layers.forEach((layer, i) => {
    const source = new AudioBufferSourceNode(audio, {
      buffer: loaded[i] ?? null,
      playbackRate: 2 ** (layer.cents / 1200),
    });
    source.connect(new GainNode(audio, { gain: 10 ** (layer.gainDb / 20) })).connect(audio.destination);
    source.start(at);
  });
}
