"use client";

import type { ItemEntry } from "../parts/item-menu";
import { itemMenu } from "../parts/item-menu";
import { usePull } from "../parts/pull";
import { useRef, useState, type ReactNode } from "react";
import { Floating } from "../parts/floating";
import type { Bead as PlacedBead } from "./path-layout";

const DRAG_PX = 4;

interface Props {
  readonly bead: PlacedBead;
  /** Of the track. */
  readonly name: string;
  readonly look: string;
  readonly panel: ReactNode;
  /** What its context menu offers; `open` opens the panel. */
  readonly entries: (open: () => void) => readonly ItemEntry[];
  /** Let go with the edge it was carried by at this place, in the path map's pixels. */
  readonly onCarry: (edge: number) => void;
}

/** A device on its path: opens in place when pressed, and is carried along its chain. */
export function Bead({ bead: { device, label, x, width, installed }, name, look, panel, entries, onCarry }: Props) {
  const press = useRef(0);
  const carriedNow = useRef(false);
  const [moved, setMoved] = useState(0);
  const pull = usePull<HTMLButtonElement>({
    begin(e) {
      press.current = e.clientX;
      carriedNow.current = false;
      return true;
    },
    move(e) {
      const by = e.clientX - press.current;
      if (!carriedNow.current && Math.abs(by) < DRAG_PX) return;
      carriedNow.current = true;
      setMoved(by);
    },
    end(e) {
      const by = e.clientX - press.current;
      if (carriedNow.current) onCarry(by < 0 ? x + by : x + width + by);
      setMoved(0);
    },
    cancel: () => setMoved(0),
  });
  return (
    <Floating
      label={`${label} on ${name}`}
      side="left"
      width={380}
      trigger={
        <button
          type="button"
          data-device={device.id}
          title={`${label} on ${name}${installed ? "" : ": not installed here"}`}
          aria-label={`${label} on ${name}${device.on ? "" : ", passed by"}${installed ? "" : ", not installed"}`}
          className={`absolute top-[var(--middle)] h-6 touch-none overflow-hidden rounded-full border px-1 text-[11px] leading-none font-medium text-ellipsis whitespace-nowrap hover:outline hover:outline-1 hover:outline-ink ${moved === 0 ? "" : "z-20 opacity-80"} ${look}`}
          style={{ left: x + moved, width }}
          {...pull}
          {...itemMenu(`${label} on ${name}`, (on) => entries(() => (on as HTMLElement).click()))}
          // What was carried is not opened.
          onClick={(e) => {
            if (carriedNow.current) e.preventDefault();
          }}
        >
          {label}
        </button>
      }
    >
      {panel}
    </Floating>
  );
}
