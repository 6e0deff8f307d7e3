"use client";

import { useState } from "react";
import { bandsOf } from "../../core/printing/members/pad";
import { planPrint } from "../../core/printing/plan";
import { sayReason } from "../../core/words/reasons";
import type { Slip } from "../../core/printing/slip";
import type { Device, Layer, Track } from "../../core/session/document";
import { Button } from "../parts/button";
import { Menu, MenuItem } from "../parts/menu";
import { useSessionParts } from "../session/provider";
import { plainSlip } from "../../core/printing/slip";
import { sayRefusals } from "../../core/words/refusals";

/**
 * Makes a pad's layers one sample; where strikes of different strength play different layers it asks what to do with
 * them.
 */
export function Merge({
  track,
  device,
  pad,
  layers,
}: {
  readonly track: Track;
  readonly device: Device;
  readonly pad: number;
  readonly layers: readonly Layer[];
}) {
  const bands = bandsOf(layers);
  const [name, setName] = useState("");
  const plainName = `{track} pad ${pad + 1}`;
  const slip = (velocities: "each" | "one"): Slip => ({
    ...plainSlip([track.id]),
    of: { what: "pad", device: device.id, pad, velocities },
    name: name.trim() || plainName,
    afterwards: "keep live",
  });
  const ways = bands.length > 1 ? (["each", "one"] as const) : (["one"] as const);
  return (
    <Menu
      label="Merge the layers"
      trigger={
        <Button
          disabled={layers.length < 2}
          title={
            layers.length < 2 ? "There is nothing to merge" : "Their levels and tunings are baked; the kit stays live"
          }
        >
          Merge layers
        </Button>
      }
    >
      <label className="flex items-center gap-2 px-2 pt-1 pb-2 text-xs text-soft">
        Name
        <input
          value={name}
          maxLength={120}
          placeholder={`${track.name || "Kit"} pad ${pad + 1}`}
          // A menu would take letters for the beginning of an entry.
          onKeyDown={(e) => e.key !== "Escape" && e.stopPropagation()}
          onChange={(e) => setName(e.target.value)}
          className="h-7 min-w-0 flex-1 rounded-sm border border-rule bg-lift px-2 text-[13px] text-ink hover:border-ink"
        />
      </label>
      {ways.map((how) => (
        <MergeWay
          key={how}
          slip={slip(how)}
          what={
            bands.length < 2
              ? "Into one sample"
              : how === "each"
                ? `One sample for each of ${bands.length} strengths`
                : "One sample for every strike"
          }
        />
      ))}
    </Menu>
  );
}

/** Stands in an open menu only, so nothing is planned before. */
function MergeWay({ slip, what }: { readonly slip: Slip; readonly what: string }) {
  const { session, print } = useSessionParts((s) => ({ session: s.session, print: s.print }));
  const plan = planPrint(session, slip);
  return (
    <MenuItem disabled={!plan.ok} onSelect={() => void print(slip)}>
      <span className="grid max-w-72">
        <span>{what}</span>
        <span className="text-xs text-soft">
          {plan.ok
            ? plan.value.differs
              ? `${plan.value.certain ? "" : "it may differ: "}${sayReason(plan.value.differs)}`
              : "it will sound the same"
            : sayRefusals(plan.refusals)}
        </span>
      </span>
    </MenuItem>
  );
}
