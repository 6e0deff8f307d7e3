"use client";

import { PADS, PADS_A_BANK } from "../../core/devices/kit";
import type { Layer } from "../../core/session/document";
import type { ItemEntry } from "../parts/item-menu";
import { itemMenu } from "../parts/item-menu";
import { Dropped, PAD_DRAG } from "./dropped";

/** The banks of pads; one that has sounds is marked. */
export function Banks({
  bank,
  filled,
  onBank,
}: {
  readonly bank: number;
  readonly filled: ReadonlySet<number>;
  readonly onBank: (bank: number) => void;
}) {
  return (
    <div role="group" aria-label="Banks of pads" className="flex gap-1 px-2 pt-1.5">
      {Array.from({ length: PADS / PADS_A_BANK }, (_, b) => (
        <button
          key={b}
          type="button"
          aria-pressed={b === bank}
          aria-label={`Pads ${b * PADS_A_BANK + 1} to ${(b + 1) * PADS_A_BANK}${filled.has(b) ? "" : ", empty"}`}
          onClick={() => onBank(b)}
          className={`figure min-h-6 flex-1 border-b-2 text-[11px] ${b === bank ? "border-ink font-semibold" : "border-rule text-soft hover:text-ink"}`}
        >
          {b * PADS_A_BANK + 1}–{(b + 1) * PADS_A_BANK}
          {filled.has(b) && <span aria-hidden className="ml-1 inline-block size-[5px] bg-current align-middle" />}
        </button>
      ))}
    </div>
  );
}

interface PadProps {
  readonly pad: number;
  readonly layers: readonly Layer[];
  readonly name: (asset: string) => string;
  readonly chosen: boolean;
  readonly onChoose: () => void;
  readonly onDrop: (asset: string) => void;
  /** Where the pad is, for a track that is carried onto it. */
  readonly home: { readonly track: string; readonly device: string };
  /** A pad was carried here. */
  readonly onCopy: (from: number) => void;
  readonly entries: () => readonly ItemEntry[];
}

/** One pad: its number, what it plays first, and a stroke for each layer. */
export function Pad({ pad, layers, name, chosen, onChoose, onDrop, onCopy, home, entries }: PadProps) {
  const [first] = layers;
  return (
    <Dropped onDrop={onDrop} onPad={onCopy} className="grid">
      <button
        type="button"
        data-pad={pad}
        data-pad-track={home.track}
        data-pad-device={home.device}
        draggable={layers.length > 0}
        onDragStart={(e) => {
          e.dataTransfer.setData(PAD_DRAG, String(pad));
          e.dataTransfer.effectAllowed = "copy";
        }}
        title={
          layers.length > 0
            ? `${layers.map((l) => name(l.asset)).join(", ")}. Carry it onto another pad to copy it`
            : undefined
        }
        aria-pressed={chosen}
        onClick={onChoose}
        {...itemMenu(`Pad ${pad + 1}`, entries)}
        aria-label={`Pad ${pad + 1}, ${layers.length === 0 ? "empty" : `${layers.length} ${layers.length === 1 ? "layer" : "layers"}: ${layers.map((l) => name(l.asset)).join(", ")}`}`}
        className={`relative min-w-0 overflow-hidden rounded-[2px] border px-1 text-left text-[10.5px] leading-[13px] ${chosen ? "border-spot bg-spot-wash outline-1 outline-spot" : first ? "border-ink bg-lift" : "border-dashed border-faint bg-paper text-soft"}`}
      >
        <span className="line-clamp-2 pr-3 leading-[13px] wrap-anywhere hyphens-auto">
          <span className="figure text-[9.5px] text-soft">{pad + 1}</span> {first ? name(first.asset) : ""}
        </span>
        <span aria-hidden className="absolute top-1 right-1 flex gap-[2px]">
          {layers.map((l) => (
            <span key={l.id} className="h-2 w-[3px] bg-ink" />
          ))}
        </span>
      </button>
    </Dropped>
  );
}
