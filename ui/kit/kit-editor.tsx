"use client";

import { Copy, Play, Plus } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState, type DragEvent, type ReactNode } from "react";
import { toast } from "sonner";
import { declarationOf } from "../../core/devices/catalogue";
import { FIRST_PAD_NOTE, LAYERS_A_PAD, PADS, PADS_A_BANK, kit } from "../../core/devices/kit";
import { layersOf } from "../../core/printing/members/pad";
import type { Device, Layer, Session, Track } from "../../core/session/document";
import { Button } from "../parts/button";
import { Menu, MenuItem } from "../parts/menu";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { ASSET_DRAG } from "../shelf/piece";
import { Merge } from "./merge";
import { LayerRow } from "./layer-row";
import { strike } from "./strike";

/** The device of a track that plays pieces of audio, a kit or a sampler, or null. */
export const holderOf = (track: Track): Device | null =>
  track.devices.find((d) => (declarationOf(d.type)?.layers ?? 0) > 0 && declarationOf(d.type)?.role === "instrument") ??
  null;

/**
 * The pads of a kit and what each plays: levels, tunings, velocities; audio is dropped on a pad, and a pad's layers are
 * merged.
 */
export function KitEditor({ track, device }: { readonly track: Track; readonly device: Device }) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const padded = device.type === kit.type;
  const [chosen, setChosen] = useState(() => (padded ? (device.layers[0]?.pad ?? 0) : 0));
  const [bank, setBank] = useState(() => Math.floor(chosen / PADS_A_BANK));
  const most = padded ? LAYERS_A_PAD : (declarationOf(device.type)?.layers ?? 0);
  const nameOf = (asset: string) => session.assets.find((a) => a.id === asset)?.name ?? "audio that is gone";
  const put = (label: string, layers: readonly Layer[]) =>
    edit(`${label} on ${trackName(track)}`, [
      { do: "set", in: "devices", track: track.id, id: device.id, patch: { layers } },
    ]);
  const add = (pad: number, asset: string) => {
    if (layersOf(device, pad).length >= most)
      return void toast.error(`${padded ? `Pad ${pad + 1}` : "It"} holds ${most} layers already.`);
    setChosen(pad);
    put(`Lay ${nameOf(asset)}`, [
      ...device.layers,
      { id: crypto.randomUUID(), pad, asset, gainDb: 0, cents: 0, softest: 1, loudest: 127 },
    ]);
  };
  /** All layers of a pad, with their levels, tunings and velocities, onto another one. */
  const copy = (from: number, to: number) => {
    const own = layersOf(device, from);
    if (from === to || own.length === 0) return;
    if (layersOf(device, to).length + own.length > most)
      return void toast.error(`Pad ${to + 1} has no room for ${own.length} more layers.`);
    setChosen(to);
    put(`Copy pad ${from + 1} onto pad ${to + 1}`, [
      ...device.layers,
      ...own.map((l) => ({ ...l, id: crypto.randomUUID(), pad: to })),
    ]);
  };
  const layers = layersOf(device, chosen);
  return (
    <div
      className={`grid h-full ${padded ? "grid-cols-[300px_minmax(0,1fr)_232px]" : "grid-cols-[minmax(0,1fr)_232px]"}`}
    >
      {padded && (
        <div className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] border-r border-rule">
          <Banks
            bank={bank}
            filled={new Set(device.layers.map((l) => Math.floor(l.pad / PADS_A_BANK)))}
            onBank={(b) => {
              setBank(b);
              setChosen(b * PADS_A_BANK + (chosen % PADS_A_BANK));
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
                onChoose={() => setChosen(pad)}
                onDrop={(asset) => add(pad, asset)}
                onCopy={(from) => copy(from, pad)}
                home={{ track: track.id, device: device.id }}
              />
            ))}
          </div>
        </div>
      )}
      <Dropped onDrop={(asset) => add(chosen, asset)} className="min-w-0 overflow-y-auto px-3 py-1.5">
        <div className="flex min-h-7 items-center gap-2">
          <b className="text-[13px]">
            {padded ? (
              <>
                Pad <span className="figure">{chosen + 1}</span>
              </>
            ) : (
              "Layers"
            )}{" "}
            <span className="font-normal">of {trackName(track)}</span>
          </b>
          <span className="text-xs text-soft">
            {padded ? (
              <>
                struck by note <span className="figure">{FIRST_PAD_NOTE + chosen}</span>
              </>
            ) : (
              "played together by every note"
            )}
          </span>
          <span className="flex-1" />
          <Button kind="quiet" disabled={layers.length === 0} onClick={() => void strike(layers)}>
            <Play size={12} fill="currentColor" aria-hidden /> Hear {padded ? "the pad" : "it"}
          </Button>
          {padded && layers.length > 0 && (
            <Menu
              label="Copy the pad onto"
              trigger={
                <DropdownMenu.Trigger asChild>
                  <Button kind="quiet">
                    <Copy size={12} aria-hidden /> Copy
                  </Button>
                </DropdownMenu.Trigger>
              }
            >
              {Array.from({ length: PADS }, (_, pad) => pad)
                .filter((pad) => pad !== chosen && layersOf(device, pad).length + layers.length <= most)
                .slice(0, 2 * PADS_A_BANK)
                .map((pad) => (
                  <MenuItem key={pad} onSelect={() => copy(chosen, pad)}>
                    pad {pad + 1}
                    <span className="text-xs text-soft">
                      {layersOf(device, pad)
                        .map((l) => nameOf(l.asset))
                        .join(", ") || "empty"}
                    </span>
                  </MenuItem>
                ))}
            </Menu>
          )}
          {padded && <Merge track={track} device={device} pad={chosen} layers={layers} />}
          <Menu
            label="Add a layer"
            trigger={
              <DropdownMenu.Trigger asChild>
                <Button disabled={layers.length >= most}>
                  <Plus size={13} aria-hidden /> Add a layer
                </Button>
              </DropdownMenu.Trigger>
            }
          >
            {session.assets.map((a) => (
              <MenuItem key={a.id} onSelect={() => add(chosen, a.id)}>
                {a.name}
              </MenuItem>
            ))}
          </Menu>
        </div>
        {layers.length === 0 ? (
          <p className="mt-3 text-[13px] text-soft">
            Nothing sounds here yet. Drag audio here from the list beside it, or add a layer.
          </p>
        ) : (
          <ul aria-label={padded ? `Layers of pad ${chosen + 1}` : "Layers"} className="mt-0.5">
            {layers.map((layer) => (
              <LayerRow
                key={layer.id}
                layer={layer}
                session={session}
                name={nameOf(layer.asset)}
                onSet={(label, patch) =>
                  put(
                    label,
                    device.layers.map((l) => (l.id === layer.id ? { ...l, ...patch } : l)),
                  )
                }
                onRemove={() =>
                  put(
                    `Take ${nameOf(layer.asset)} off`,
                    device.layers.filter((l) => l.id !== layer.id),
                  )
                }
              />
            ))}
          </ul>
        )}
      </Dropped>
      <Pieces
        session={session}
        onto={padded ? `pad ${chosen + 1}` : trackName(track)}
        onLay={(asset) => add(chosen, asset)}
      />
    </div>
  );
}

/** The shelf's audio by name, to be dragged onto a pad, or laid onto the chosen one by a press. */
function Pieces({
  session,
  onto,
  onLay,
}: {
  readonly session: Session;
  readonly onto: string;
  readonly onLay: (asset: string) => void;
}) {
  const [search, setSearch] = useState("");
  const found = session.assets.filter((a) => a.name.toLowerCase().includes(search.trim().toLowerCase())).toReversed();
  return (
    <div className="flex min-h-0 flex-col border-l border-rule">
      <input
        type="search"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
        onKeyDown={(e) => e.stopPropagation()}
        aria-label="Search the audio"
        placeholder="audio to drag onto a pad …"
        className="mt-1.5 mr-9 ml-2 min-h-6 rounded-sm border border-rule bg-lift px-2 text-xs hover:border-ink"
      />
      <ul aria-label="Audio for pads" className="mt-1 min-h-0 flex-1 overflow-y-auto border-t border-rule">
        {found.map((a) => (
          <li
            key={a.id}
            draggable
            className="flex min-h-6 cursor-grab items-center gap-2 border-b border-rule px-2 text-xs hover:bg-shade"
            onDragStart={(e) => {
              e.dataTransfer.setData(ASSET_DRAG, a.id);
              e.dataTransfer.effectAllowed = "copy";
            }}
          >
            <span className="min-w-0 flex-1 truncate" title={a.name}>
              {a.name}
            </span>
            <span className="figure text-[11px] text-soft">{(a.frames / a.rate).toFixed(1)} s</span>
            <button
              type="button"
              aria-label={`Lay ${a.name} onto ${onto}`}
              title={`Onto ${onto}`}
              onClick={() => onLay(a.id)}
              className="grid size-5 shrink-0 place-items-center rounded-sm text-soft hover:bg-rule hover:text-ink"
            >
              <Plus size={12} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** A place that takes a piece of the shelf. */
function Dropped({
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

/** The banks of pads; one that has sounds is marked. */
function Banks({
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

/** What a carried pad is called. */
const PAD_DRAG = "application/x-stemzo-pad";

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
}

/** One pad: its number, what it plays first, and a stroke for each layer. */
function Pad({ pad, layers, name, chosen, onChoose, onDrop, onCopy, home }: PadProps) {
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
