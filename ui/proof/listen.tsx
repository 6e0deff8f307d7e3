"use client";

import { Pause, Play } from "lucide-react";
import { useCallback, useMemo, useRef, useState } from "react";
import type { Handoff } from "../../contract/handoff";
import { formatClock } from "../../core/time/clock";
import { setText } from "../parts/set-text";
import { usePosition } from "../hear/use-position";
import { useFilesPlayer } from "../hear/use-files-player";
import { Button } from "../parts/button";
import { Choice } from "../parts/choice";
import { audioAddress, fileAddress } from "../session/api";

const WHOLE = "whole mix";

/** The package as it can be heard: its sum, the mix it is held against, what one leaves of the other, or one file. */
export function Listen({ handoff }: { readonly handoff: Handoff }) {
  const { manifest, whole, id } = handoff;
  const stems = useMemo(() => manifest.files.filter((f) => f.role === "stem"), [manifest]);
  const [what, setWhat] = useState(stems.length > 0 ? "sum" : (manifest.files[0]?.name ?? ""));
  const files = useMemo(
    () => [
      ...manifest.files.map((f) => ({
        key: f.name,
        address: fileAddress(id, f.name),
        format: f.format,
        frames: f.frames,
        rate: f.rate ?? manifest.rate,
        side: f.fold === "mono" ? null : f.fold,
      })),
      ...(whole
        ? [
            {
              key: WHOLE,
              address: audioAddress(whole),
              format: "wav" as const,
              frames: manifest.frames,
              rate: manifest.rate,
              side: null,
            },
          ]
        : []),
    ],
    [manifest, whole, id],
  );
  const gainOf = useCallback(
    (key: string) => {
      const isStem = stems.some((f) => f.name === key);
      if (what === "sum") return isStem ? 1 : 0;
      if (what === "difference") return isStem ? 1 : key === WHOLE ? -1 : 0;
      return key === what ? 1 : 0;
    },
    [what, stems],
  );
  const player = useFilesPlayer(files, gainOf);
  const slider = useRef<HTMLInputElement>(null);
  const clock = useRef<HTMLSpanElement>(null);
  usePosition(player, (s) => {
    if (slider.current) slider.current.value = String(s);
    setText(clock.current, formatClock(s).slice(0, -2));
  });
  return (
    <section aria-label="Listen" className="flex items-center gap-3 border-b border-rule px-5 py-2">
      <Button onClick={player.toggle} className="w-24">
        {player.playing ? <Pause size={14} aria-hidden /> : <Play size={14} aria-hidden />}
        {player.playing ? "Pause" : "Play"}
      </Button>
      <Choice
        label="What is heard"
        value={what}
        onChange={setWhat}
        options={[
          ...(stems.length > 0 ? [{ value: "sum", label: "the sum of the stems" }] : []),
          ...(whole ? [{ value: WHOLE, label: `the session's mix ${manifest.whole ?? ""}` }] : []),
          ...(whole && stems.length > 0
            ? [{ value: "difference", label: "their difference", about: "Nothing, where the stems add up." }]
            : []),
          ...manifest.files.map((f) => ({ value: f.name, label: f.name })),
        ]}
        className="min-w-56"
      />
      <input
        ref={slider}
        type="range"
        aria-label="Position"
        min={0}
        max={manifest.frames / manifest.rate}
        step={0.1}
        defaultValue={0}
        onChange={(e) => player.seek(Number(e.target.value))}
        className="flex-1 accent-[var(--spot)]"
      />
      <span ref={clock} className="figure w-16 text-right" />
      <span role="status" className="w-20 text-xs text-soft">
        {player.waiting ? "fetching …" : ""}
      </span>
      {player.fault !== null && (
        <span role="alert" className="text-wrong">
          {player.fault}
        </span>
      )}
    </section>
  );
}
