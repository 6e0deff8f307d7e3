"use client";

import { Download } from "lucide-react";
import { memo, useMemo, useRef } from "react";
import type { Delivery } from "../../contract/link";
import { outlineOf } from "../../core/papers/outline";
import { formatChannels } from "../../core/words/delivered";
import { formatNumber } from "../../core/words/numbers";
import type { Hearing } from "../hear/use-files-player";
import { byteText } from "../parts/bytes";
import type { Bars } from "./bars";
import { usePosition } from "../hear/use-position";

const POINTS = 600;
const HEIGHT = 44;
const SWITCH =
  "grid size-8 place-items-center rounded-sm border text-[13px] font-semibold hover:border-ink aria-pressed:bg-ink aria-pressed:text-paper";

/** One file: its name and level, its sound over the bars, alone, silent, taken. */
export function FileRow({
  file,
  lengthS,
  bars,
  player,
  heard,
  alone,
  muted,
  address,
  onAlone,
  onMute,
}: {
  readonly file: Delivery["files"][number];
  readonly lengthS: number;
  readonly bars: Bars;
  readonly player: Hearing;
  readonly heard: boolean;
  readonly alone: boolean;
  readonly muted: boolean;
  readonly address: string;
  readonly onAlone: () => void;
  readonly onMute: () => void;
}) {
  const level = file.lufs === null ? "silent" : `${formatNumber(file.lufs, 1)} LUFS`;
  const head = useRef<HTMLDivElement>(null);
  usePosition(player, (s) => {
    if (head.current) head.current.style.left = `${(100 * s) / lengthS}%`;
  });
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-3 border-b border-rule py-2 sm:grid-cols-[13rem_minmax(0,1fr)_8.5rem]">
      <div className="min-w-0">
        <p className={`truncate text-base leading-tight ${heard ? "font-semibold" : "text-soft"}`}>{file.title}</p>
        <p className="truncate text-xs text-soft">
          {file.side ? `${file.side} channel` : formatChannels(file.channels)} · <span className="figure">{level}</span>
        </p>
      </div>
      <div
        className={`relative order-last col-span-2 h-11 cursor-pointer sm:order-none sm:col-span-1 ${heard ? "" : "opacity-40"}`}
        onPointerDown={(e) => {
          const box = e.currentTarget.getBoundingClientRect();
          player.seek((lengthS * (e.clientX - box.left)) / box.width);
        }}
      >
        <Wave file={file} lengthS={lengthS} bars={bars} />
        <div ref={head} aria-hidden className="absolute inset-y-0 w-0.5 bg-signal" />
      </div>
      <div className="flex items-center justify-end gap-1.5">
        <button
          type="button"
          aria-pressed={alone}
          aria-label={`Hear ${file.title} alone`}
          title="Alone"
          onClick={onAlone}
          className={`${SWITCH} w-12 border-ink/60`}
        >
          solo
        </button>
        <button
          type="button"
          aria-pressed={muted}
          aria-label={`Mute ${file.title}`}
          title="Silent"
          onClick={onMute}
          className={`${SWITCH} w-12 border-ink/60`}
        >
          mute
        </button>
        <a
          href={address}
          download
          aria-label={`Download ${file.name}, ${byteText(file.bytes)}`}
          title={`${file.name}, ${byteText(file.bytes)}`}
          className="grid size-8 place-items-center rounded-sm text-spot hover:bg-shade"
        >
          <Download size={17} aria-hidden />
        </a>
      </div>
    </li>
  );
}

/** The file's outline over the bars of the song. */
const Wave = memo(function Wave({
  file,
  lengthS,
  bars,
}: {
  readonly file: Delivery["files"][number];
  readonly lengthS: number;
  readonly bars: Bars;
}) {
  const { d, width } = useMemo(() => {
    const bytes = Uint8Array.from(atob(file.outline), (c) => c.charCodeAt(0));
    const spans = outlineOf(bytes, POINTS);
    const across = (POINTS * file.frames) / file.rate / lengthS;
    const x = (i: number) => ((i * across) / spans.length).toFixed(1);
    const y = (v: number) => (HEIGHT / 2 - v * (HEIGHT / 2 - 1)).toFixed(1);
    const high = spans.map(({ most }, i) => `${x(i)} ${y(most)}`);
    const low = spans.map(({ least }, i) => `${x(i)} ${y(least)}`).reverse();
    return { d: spans.length === 0 ? "" : `M${[...high, ...low].join("L")}Z`, width: across };
  }, [file, lengthS]);
  const every = Math.max(1, Math.ceil(bars.lines.length / 60));
  return (
    <svg
      viewBox={`0 0 ${POINTS} ${HEIGHT}`}
      preserveAspectRatio="none"
      className="absolute inset-0 size-full"
      role="img"
      aria-label={`Sound of ${file.title}`}
    >
      {bars.lines
        .filter((_, i) => i % every === 0)
        .map(({ bar, atS }) => (
          <line
            key={bar}
            x1={(POINTS * atS) / lengthS}
            x2={(POINTS * atS) / lengthS}
            y2={HEIGHT}
            stroke="var(--rule)"
            vectorEffect="non-scaling-stroke"
          />
        ))}
      <line x2={width} y1={HEIGHT / 2} y2={HEIGHT / 2} stroke="var(--ink-faint)" vectorEffect="non-scaling-stroke" />
      {d !== "" && <path d={d} fill="var(--ink)" />}
    </svg>
  );
});
