"use client";

import { Copy, Play, Plus } from "lucide-react";
import type { ReactElement, ReactNode } from "react";
import { useState } from "react";
import { toast } from "sonner";
import { declarationOf } from "../../core/devices/catalogue";
import { FIRST_PAD_NOTE, LAYERS_A_PAD, PADS, PADS_A_BANK, kit } from "../../core/devices/kit";
import { layersOf } from "../../core/printing/members/pad";
import type { Device, Layer, Track } from "../../core/session/document";
import { Button } from "../parts/button";
import type { ItemEntry } from "../parts/item-menu";
import { Menu, MenuItem } from "../parts/menu";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { Dropped } from "./dropped";
import { LayerRow } from "./layer-row";
import { Merge } from "./merge";
import { Banks, Pad } from "./pads";
import { Pieces } from "./pieces";
import { strike } from "./strike";

/** The device of a track that plays pieces of audio, a kit or a sampler, or null. */
export const holderOf = (track: Track): Device | null =>
  track.devices.find((d) => (declarationOf(d.type)?.layers ?? 0) > 0 && declarationOf(d.type)?.role === "instrument") ??
  null;

interface Props {
  readonly track: Track;
  readonly device: Device;
}

/** The layers of a kit or a sampler, which pad is chosen, and what is done to them. */
function useLayers(track: Track, device: Device) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const hasPads = device.type === kit.type;
  const [chosen, choose] = useState(() => (hasPads ? (device.layers[0]?.pad ?? 0) : 0));
  const most = hasPads ? LAYERS_A_PAD : (declarationOf(device.type)?.layers ?? 0);
  const nameOf = (asset: string) => session.assets.find((a) => a.id === asset)?.name ?? "audio that is gone";
  const put = (label: string, layers: readonly Layer[]) =>
    edit(`${label} on ${trackName(track)}`, [
      { do: "set", in: "devices", track: track.id, id: device.id, patch: { layers } },
    ]);
  return {
    ...{ session, device, hasPads, chosen, choose, most, nameOf },
    layers: layersOf(device, chosen),
    add(pad: number, asset: string) {
      if (layersOf(device, pad).length >= most)
        return void toast.error(`${hasPads ? `Pad ${pad + 1}` : "It"} holds ${most} layers already.`);
      choose(pad);
      const layer: Layer = { id: crypto.randomUUID(), pad, asset, gainDb: 0, cents: 0, softest: 1, loudest: 127 };
      put(`Lay ${nameOf(asset)}`, [...device.layers, layer]);
    },
    /** All layers of a pad, with their levels, tunings and velocities, onto another one. */
    copy(from: number, to: number) {
      const own = layersOf(device, from);
      if (from === to || own.length === 0) return;
      if (layersOf(device, to).length + own.length > most)
        return void toast.error(`Pad ${to + 1} has no room for ${own.length} more layers.`);
      choose(to);
      const copies = own.map((l) => ({ ...l, id: crypto.randomUUID(), pad: to }));
      put(`Copy pad ${from + 1} onto pad ${to + 1}`, [...device.layers, ...copies]);
    },
    set: (id: string, label: string, patch: Partial<Layer>) =>
      put(
        label,
        device.layers.map((l) => (l.id === id ? { ...l, ...patch } : l)),
      ),
    clear: (pad: number) =>
      put(
        `Clear pad ${pad + 1}`,
        device.layers.filter((l) => l.pad !== pad),
      ),
    remove: ({ id, asset }: Layer) =>
      put(
        `Take ${nameOf(asset)} off`,
        device.layers.filter((l) => l.id !== id),
      ),
  };
}

type Layers = ReturnType<typeof useLayers>;

/**
 * The pads of a kit and what each plays: levels, tunings, velocities; audio is dropped on a pad, and a pad's layers are
 * merged.
 */
export function KitEditor({ track, device }: Props) {
  const of = useLayers(track, device);
  const { hasPads, chosen, layers, add } = of;
  return (
    <div
      className={`grid h-full ${hasPads ? "grid-cols-[300px_minmax(0,1fr)_232px]" : "grid-cols-[minmax(0,1fr)_232px]"}`}
    >
      {hasPads && <PadGrid track={track} of={of} />}
      <Dropped onDrop={(asset) => add(chosen, asset)} className="min-w-0 overflow-y-auto px-3 py-1.5">
        <LayersHead track={track} of={of} />
        {layers.length === 0 ? (
          <p className="mt-3 text-[13px] text-soft">
            Nothing sounds here yet. Drag audio here from the list beside it, or add a layer.
          </p>
        ) : (
          <ul aria-label={hasPads ? `Layers of pad ${chosen + 1}` : "Layers"} className="mt-0.5">
            {layers.map((layer) => (
              <LayerRow
                key={layer.id}
                layer={layer}
                session={of.session}
                name={of.nameOf(layer.asset)}
                onSet={(label, patch) => of.set(layer.id, label, patch)}
                onRemove={() => of.remove(layer)}
              />
            ))}
          </ul>
        )}
      </Dropped>
      <Pieces
        session={of.session}
        onto={hasPads ? `pad ${chosen + 1}` : trackName(track)}
        onLay={(asset) => add(chosen, asset)}
      />
    </div>
  );
}

interface PartProps {
  readonly track: Track;
  readonly of: Layers;
}

/** What can be done with a pad. */
function padEntries(
  { device, most, session, choose, add, copy, clear, nameOf }: Layers,
  pad: number,
): readonly ItemEntry[] {
  const own = layersOf(device, pad);
  const empty = own.length === 0 ? "The pad is empty" : null;
  const withRoom = Array.from({ length: PADS }, (_, to) => to).filter(
    (to) => to !== pad && layersOf(device, to).length + own.length <= most,
  );
  return [
    { label: "Hear pad", run: () => void strike(own), blocked: empty },
    { label: "Show layers", run: () => choose(pad) },
    {
      label: "Add a layer",
      of: session.assets.slice(0, PADS).map((a) => ({ label: nameOf(a.id), run: () => add(pad, a.id) })),
      blocked: own.length >= most ? "It holds all the layers that it can" : null,
    },
    {
      label: "Copy onto pad",
      of: withRoom.slice(0, 2 * PADS_A_BANK).map((to) => ({ label: `Pad ${to + 1}`, run: () => copy(pad, to) })),
    },
    { label: "Clear pad", run: () => clear(pad), blocked: empty },
  ];
}

function PadGrid({ track, of }: PartProps) {
  const { device, chosen, choose, nameOf, add, copy } = of;
  const [bank, setBank] = useState(() => Math.floor(chosen / PADS_A_BANK));
  return (
    <div className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] border-r border-rule">
      <Banks
        bank={bank}
        filled={new Set(device.layers.map((l) => Math.floor(l.pad / PADS_A_BANK)))}
        onBank={(b) => {
          setBank(b);
          choose(b * PADS_A_BANK + (chosen % PADS_A_BANK));
        }}
      />
      <div
        role="group"
        aria-label={`Pads of ${trackName(track)}`}
        className="grid grid-cols-4 grid-rows-4 gap-1 p-2 pt-1"
      >
        {Array.from({ length: PADS_A_BANK }, (_, k) => bank * PADS_A_BANK + k).map((pad) => (
          <Pad
            key={pad}
            pad={pad}
            layers={layersOf(device, pad)}
            name={nameOf}
            chosen={pad === chosen}
            onChoose={() => choose(pad)}
            onDrop={(asset) => add(pad, asset)}
            onCopy={(from) => copy(from, pad)}
            home={{ track: track.id, device: device.id }}
            entries={() => padEntries(of, pad)}
          />
        ))}
      </div>
    </div>
  );
}

function LayersHead({ track, of }: PartProps) {
  const { session, device, hasPads, chosen, layers, most, add } = of;
  return (
    <div className="flex min-h-7 items-center gap-2">
      <b className="text-[13px]">
        {hasPads ? (
          <>
            Pad <span className="figure">{chosen + 1}</span>
          </>
        ) : (
          "Layers"
        )}{" "}
        <span className="font-normal">of {trackName(track)}</span>
      </b>
      <span className="text-xs text-soft">
        {hasPads ? (
          <>
            struck by note <span className="figure">{FIRST_PAD_NOTE + chosen}</span>
          </>
        ) : (
          "played together by every note"
        )}
      </span>
      <span className="flex-1" />
      <Button kind="quiet" disabled={layers.length === 0} onClick={() => void strike(layers)}>
        <Play size={12} fill="currentColor" aria-hidden /> Hear {hasPads ? "the pad" : "it"}
      </Button>
      {hasPads && layers.length > 0 && <CopyMenu of={of} />}
      {hasPads && <Merge track={track} device={device} pad={chosen} layers={layers} />}
      <ButtonMenu
        label="Add a layer"
        button={
          <Button disabled={layers.length >= most}>
            <Plus size={13} aria-hidden /> Add a layer
          </Button>
        }
      >
        {session.assets.map((a) => (
          <MenuItem key={a.id} onSelect={() => add(chosen, a.id)}>
            {a.name}
          </MenuItem>
        ))}
      </ButtonMenu>
    </div>
  );
}

function CopyMenu({ of: { device, chosen, layers, most, nameOf, copy } }: Pick<PartProps, "of">) {
  const withRoom = Array.from({ length: PADS }, (_, pad) => pad).filter(
    (pad) => pad !== chosen && layersOf(device, pad).length + layers.length <= most,
  );
  return (
    <ButtonMenu
      label="Copy the pad onto"
      button={
        <Button kind="quiet">
          <Copy size={12} aria-hidden /> Copy
        </Button>
      }
    >
      {withRoom.slice(0, 2 * PADS_A_BANK).map((pad) => (
        <MenuItem key={pad} onSelect={() => copy(chosen, pad)}>
          pad {pad + 1}
          <span className="text-xs text-soft">
            {layersOf(device, pad)
              .map((l) => nameOf(l.asset))
              .join(", ") || "empty"}
          </span>
        </MenuItem>
      ))}
    </ButtonMenu>
  );
}

interface ButtonMenuProps {
  readonly label: string;
  readonly button: ReactElement;
  readonly children: ReactNode;
}

const ButtonMenu = ({ label, button, children }: ButtonMenuProps) => (
  <Menu label={label} trigger={button}>
    {children}
  </Menu>
);
