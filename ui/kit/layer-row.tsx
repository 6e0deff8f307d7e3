"use client";

import { Play, Trash2 } from "lucide-react";
import type { Layer, Session } from "../../core/session/document";
import { itemMenu } from "../parts/item-menu";
import { NumberField } from "../parts/number-field";
import { Tool, Wave } from "../shelf/piece";
import { strike } from "./strike";

export function LayerRow({
  layer,
  session,
  name,
  onSet,
  onRemove,
}: {
  readonly layer: Layer;
  readonly session: Session;
  readonly name: string;
  readonly onSet: (label: string, patch: Partial<Layer>) => void;
  readonly onRemove: () => void;
}) {
  const asset = session.assets.find((a) => a.id === layer.asset);
  return (
    <li
      {...itemMenu(`Layer ${name}`, () => [
        { label: "Hear layer", run: () => void strike([layer]) },
        { label: "Set level to 0 dB", run: () => onSet(`Level of ${name}`, { gainDb: 0 }) },
        { label: "Reset tuning", run: () => onSet(`Tuning of ${name}`, { cents: 0 }) },
        { label: "Play at all velocities", run: () => onSet(`Strikes of ${name}`, { softest: 1, loudest: 127 }) },
        { label: "Remove layer", run: onRemove },
      ])}
      className="grid grid-cols-[132px_minmax(60px,1fr)_auto_auto_auto_auto] items-center gap-x-2.5 border-b border-rule py-0.5 text-xs"
    >
      <Wave hash={layer.asset} frames={asset?.frames ?? 0} />
      <span className="truncate font-medium" title={name}>
        {name}
      </span>
      <label className="flex items-center gap-1 text-soft">
        level{" "}
        <NumberField
          label={`Level of ${name} in dB`}
          unit="dB"
          neutral={0}
          value={layer.gainDb}
          min={-144}
          max={24}
          onCommit={(gainDb) => onSet(`Level of ${name}`, { gainDb })}
          className="w-14"
        />{" "}
        dB
      </label>
      <label className="flex items-center gap-1 text-soft">
        tuned{" "}
        <NumberField
          label={`Tuning of ${name} in cents`}
          unit="cents"
          neutral={0}
          value={layer.cents}
          min={-4800}
          max={4800}
          digits={0}
          onCommit={(cents) => onSet(`Tuning of ${name}`, { cents })}
          className="w-14"
        />{" "}
        cents
      </label>
      <span className="flex items-center gap-1 text-soft">
        strikes{" "}
        <NumberField
          label={`Softest strike of ${name}`}
          value={layer.softest}
          min={1}
          max={layer.loudest}
          digits={0}
          onCommit={(softest) => onSet(`Strikes of ${name}`, { softest: Math.round(softest) })}
          className="w-11"
        />
        to{" "}
        <NumberField
          label={`Hardest strike of ${name}`}
          value={layer.loudest}
          min={layer.softest}
          max={127}
          digits={0}
          onCommit={(loudest) => onSet(`Strikes of ${name}`, { loudest: Math.round(loudest) })}
          className="w-11"
        />
      </span>
      <span className="flex">
        <Tool label={`Hear ${name}`} onClick={() => void strike([layer])}>
          <Play size={13} fill="currentColor" aria-hidden />
        </Tool>
        <Tool label={`Take ${name} off the pad`} onClick={onRemove}>
          <Trash2 size={13} aria-hidden />
        </Tool>
      </span>
    </li>
  );
}
