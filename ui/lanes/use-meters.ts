import { useRef } from "react";
import { formatNumber } from "../../core/words/numbers";
import { useEveryPicture } from "../playback/provider";
import { useSessionParts } from "../session/provider";
import { useRows } from "../timeline/shown";

/** A meter shows 48 dB below full scale, and falls back by this part of its height a picture. */
const METER_DB = 48;
const METER_FALL = 0.012;
/** Below this there is nothing to show, in LUFS over three seconds. */
const LEAST_LUFS = -70;
const meterPart = (peak: number): number =>
  peak <= 0 ? 0 : Math.max(0, Math.min(1, 1 + (20 * Math.log10(peak)) / METER_DB));

/** The tracks' meters and the loudness of the mix, moved at every picture without React: there may be hundreds. */
export function useMeters() {
  const rows = useRows();
  const { whole } = useSessionParts((s) => ({ whole: s.session }));
  const meters = useRef(new Map<string, HTMLElement>());
  const peaks = useRef(new Float32Array(0));
  const shown = useRef(new Float32Array(0));
  const loudness = useRef<HTMLSpanElement>(null);
  useEveryPicture((playback) => {
    const lufs = playback.loudness();
    if (loudness.current)
      loudness.current.textContent =
        playback.state === "playing" && lufs > LEAST_LUFS ? ` · ${formatNumber(lufs, 1)} LUFS` : "";
    const count = whole.tracks.length;
    if (peaks.current.length !== count) {
      peaks.current = new Float32Array(count);
      shown.current = new Float32Array(count);
    }
    playback.peaks(peaks.current);
    whole.tracks.forEach((track, i) => {
      const part = Math.max(meterPart(peaks.current[i] ?? 0), (shown.current[i] ?? 0) - METER_FALL);
      const meter = meters.current.get(track.id);
      if (!meter || part === shown.current[i]) return;
      shown.current[i] = part;
      meter.style.transform = `scaleY(${part.toFixed(3)})`;
      meter.style.background = (peaks.current[i] ?? 0) > 1 ? "var(--signal)" : "";
    });
  }, rows);
  return {
    loudness,
    meterOf: (track: string) => (meter: HTMLElement | null) => {
      if (meter) meters.current.set(track, meter);
      return () => void meters.current.delete(track);
    },
  };
}
