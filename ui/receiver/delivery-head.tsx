"use client";

import { Download } from "lucide-react";
import type { Delivery } from "../../contract/link";
import { formatClock } from "../../core/time/clock";
import { fileFormats } from "../../core/words/settings";
import { depthName } from "../../core/units";
import { byteText } from "../parts/bytes";
import { dayText } from "../parts/dates";

export const BUTTON =
  "inline-flex min-h-11 items-center justify-center gap-2 rounded-sm bg-spot px-5 text-base font-bold text-on-spot hover:brightness-110";

interface Props {
  /** Of the link, in front of its files. */
  readonly base: string;
  readonly delivery: Delivery;
}

/** What a delivery is, and one press that takes all of it. */
export function DeliveryHead({ base, delivery }: Props) {
  const { files, rate, frames } = delivery;
  const stems = files.filter((f) => f.role === "stem").length;
  const mixes = files.length - stems;
  return (
    <header className="flex flex-wrap items-end justify-between gap-x-8 gap-y-4">
      <div className="min-w-0">
        <h1 className="text-[34px] leading-none font-bold tracking-tight break-words">{delivery.song}</h1>
        <p className="mt-2 text-base text-soft">
          {stems} {stems === 1 ? "stem" : "stems"}
          {mixes > 0 && ` and ${mixes} ${mixes === 1 ? "mix" : "mixes"}`} ·{" "}
          <span className="figure">{formatClock(frames / rate)}</span> ·{" "}
          {[...new Set(files.map((f) => fileFormats[f.format].label))].join(" and ")},{" "}
          <span className="figure">{rate / 1000} kHz</span>, {depthName(delivery.depth)}
        </p>
        <p className="text-soft">
          Made {dayText(delivery.madeAt)}
          {delivery.receiver !== "" && ` for ${delivery.receiver}`}. This page is here until{" "}
          {dayText(delivery.expiresAt)}
          {delivery.downloadsLeft !== null && `; ${delivery.downloadsLeft} downloads are left`}.
        </p>
      </div>
      <a href={`${base}/package`} download className={BUTTON}>
        <Download size={18} aria-hidden /> Download all, <span className="figure">{byteText(delivery.bytes)}</span>
      </a>
    </header>
  );
}
