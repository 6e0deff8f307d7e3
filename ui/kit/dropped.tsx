"use client";

import { useState, type DragEvent, type ReactNode } from "react";
import { ASSET_DRAG } from "../shelf/piece";

/** The kind of data of a carried pad. */
export const PAD_DRAG = "application/x-stemzo-pad";

/** A place that takes a piece of the shelf. */
export function Dropped({
  onDrop,
  onPad,
  className,
  children,
}: {
  readonly onDrop: (asset: string) => void;
  readonly onPad?: (pad: number) => void;
  readonly className: string;
  readonly children: ReactNode;
}) {
  const [over, setOver] = useState(false);
  const takes = (e: DragEvent) =>
    e.dataTransfer.types.includes(ASSET_DRAG) || (onPad !== undefined && e.dataTransfer.types.includes(PAD_DRAG));
  return (
    <div
      className={`${className} ${over ? "bg-spot-wash outline-2 -outline-offset-2 outline-spot" : ""}`}
      onDragOver={(e) => {
        if (!takes(e)) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        setOver(false);
        const asset = e.dataTransfer.getData(ASSET_DRAG);
        const pad = e.dataTransfer.getData(PAD_DRAG);
        if (pad !== "" && onPad) {
          e.preventDefault();
          return onPad(Number(pad));
        }
        if (asset === "") return;
        e.preventDefault();
        e.stopPropagation();
        onDrop(asset);
      }}
    >
      {children}
    </div>
  );
}
