"use client";

import { Play, Square } from "lucide-react";
import { useEffect, useRef, useState, type ReactNode } from "react";
import { toast } from "sonner";
import { prepare, useInks, useRedraw } from "../canvas/canvas";
import { extremes, overviewOf } from "../canvas/overviews";
import { useBenchView } from "../timeline/view";
import { audioAddress } from "../session/api";

/** What a dragged piece of the shelf is called while it is carried. */
export const ASSET_DRAG = "application/x-stemzo-asset";

/** A piece of audio, drawn small. */
export function Wave({ hash, frames }: { readonly hash: string; readonly frames: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useBenchView((v) => v.theme);
  const inksOf = useInks(theme);
  const redraw = useRedraw();
  useEffect(() => {
    const [width, height] = [132, 30];
    const c = canvas.current && prepare(canvas.current, width, height);
    const overview = overviewOf(hash);
    if (!c) return;
    c.clearRect(0, 0, width, height);
    if (!overview) return;
    c.fillStyle = inksOf(c).ink;
    for (let x = 0; x < width; x++) {
      const [low, high] = extremes(overview, (x * frames) / width, ((x + 1) * frames) / width);
      const [top, bottom] = [Math.sqrt(high / 127) * 14, Math.sqrt(-low / 127) * 14];
      c.fillRect(x, 15 - Math.max(0.5, top), 1, Math.max(1, top + bottom));
    }
  }, [hash, frames, redraw, inksOf]);
  return <canvas ref={canvas} style={{ width: 132, height: 30 }} aria-hidden />;
}

/** Plays a file as it lies on the shelf, by itself. */
export function Hear({ hash, name }: { readonly hash: string; readonly name: string }) {
  const audio = useRef<HTMLAudioElement | null>(null);
  const [playing, setPlaying] = useState(false);
  useEffect(() => () => audio.current?.pause(), []);
  const toggle = () => {
    if (playing) {
      audio.current?.pause();
      return setPlaying(false);
    }
    const element = (audio.current ??= new Audio(audioAddress(hash)));
    element.onended = () => setPlaying(false);
    element.currentTime = 0;
    void element.play().then(
      () => setPlaying(true),
      (error: unknown) => {
        setPlaying(false);
        // Stopped before it began is no fault.
        if (!(error instanceof DOMException && error.name === "AbortError"))
          toast.error(
            `${name} cannot be played: ${error instanceof Error ? error.message : "its audio is not to be had"}`,
          );
      },
    );
  };
  return (
    <Tool label={playing ? `Stop ${name}` : `Hear ${name}`} onClick={toggle}>
      {playing ? (
        <Square size={13} fill="currentColor" aria-hidden />
      ) : (
        <Play size={14} fill="currentColor" aria-hidden />
      )}
    </Tool>
  );
}

/** A small button with a picture on it. */
export const Tool = ({
  label,
  disabled = false,
  onClick,
  children,
}: {
  readonly label: string;
  readonly disabled?: boolean;
  readonly onClick: () => void;
  readonly children: ReactNode;
}) => (
  <button
    type="button"
    aria-label={label}
    title={label}
    disabled={disabled}
    onClick={onClick}
    className="grid size-7 place-items-center rounded-sm text-soft hover:bg-rule hover:text-ink disabled:opacity-35"
  >
    {children}
  </button>
);
