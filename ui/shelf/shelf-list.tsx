"use client";

import { GripVertical, ListPlus, Play, RotateCcw, Square } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import type { PrintRecord } from "../../contract/print";
import { planPrint } from "../../core/printing/plan";
import type { Asset, Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import { importStep } from "../../core/session/import";
import type { Use } from "../../core/session/usage";
import { usesOf } from "../../core/session/usage";
import { formatClock } from "../../core/time/clock";
import { prepare, useInks, useRedraw } from "../bench/canvas";
import { extremes, overviewOf } from "../bench/overviews";
import { useBenchView } from "../bench/view";
import { Editable } from "../parts/editable";
import { usePlaybackStore } from "../playback/provider";
import { audioAddress } from "../session/api";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { usePrints } from "./use-prints";

/** What a dragged piece of the shelf is called while it is carried. */
export const ASSET_DRAG = "application/x-stemzo-asset";

const ORIGINS: Record<Asset["origin"], string> = { imported: "brought in", printed: "printed", generated: "made by the demo" };

/** All audio of the session, newest first, as far as it fits what is searched for. `row` draws one in whatever frame it stands. */
export function useShelf(search: string) {
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const prints = usePrints();
  const uses = useMemo(() => usesOf(session), [session]);
  const items = useMemo(() => {
    const words = search.toLowerCase().split(/\s+/).filter((w) => w !== "");
    return session.assets.toReversed().map((asset) => {
      const print = prints.find((p) => p.asset === asset.id) ?? null;
      const use = uses.get(asset.id) ?? [];
      return { asset, print, use, text: `${asset.name} ${ORIGINS[asset.origin]} ${asset.channels === 1 ? "mono" : "stereo"} ${use.length === 0 ? "unused" : "used"} ${print?.sources.join(" ") ?? ""} ${print && isToday(print.madeAt) ? "today" : ""}`.toLowerCase() };
    }).filter((item) => words.every((w) => item.text.includes(w)));
  }, [session, prints, uses, search]);
  return { session, items, total: session.assets.length, unused: session.assets.filter((a) => !uses.has(a.id)).length };
}

const isToday = (iso: string): boolean => new Date(iso).toDateString() === new Date().toDateString();

export type ShelfItem = ReturnType<typeof useShelf>["items"][number];

/** One piece of audio: its wave, its name, what it is, where it came from and where it is used; to be heard, placed, or carried onto a lane. */
export function ShelfRow({ item, session }: { readonly item: ShelfItem; readonly session: Session }) {
  const { edit, take, select } = useSessionParts((s) => ({ edit: s.edit, take: s.take, select: s.select }));
  const playback = usePlaybackStore();
  const { asset, print, use } = item;
  const stale = useMemo(() => (print ? staleness(session, print) : null), [session, print]);
  const place = () => {
    const step = importStep(session, [{ asset, timeReference: null }], { by: "frame", frame: Math.round(playback.getState().position()), track: null }, () => crypto.randomUUID());
    take({ ...step, label: `Place ${asset.name}` });
  };
  const reopened = print ? reopening(session, print) : null;
  const fits = asset.rate === session.rate;
  return (
    <li
      className="grid grid-cols-[20px_132px_minmax(0,1.2fr)_minmax(0,1fr)_auto] items-center gap-x-3 border-b border-rule px-2 py-1 hover:bg-shade"
      draggable={fits}
      onDragStart={(e) => {
        e.dataTransfer.setData(ASSET_DRAG, asset.id);
        e.dataTransfer.effectAllowed = "copy";
      }}
    >
      <GripVertical size={14} aria-hidden className={`cursor-grab text-faint ${fits ? "" : "invisible"}`} />
      <Wave hash={asset.id} frames={asset.frames} />
      <div className="min-w-0">
        <Editable double value={asset.name} label={`Audio ${asset.name}`} onCommit={(name) => edit(`Rename ${asset.name}`, [{ do: "set", in: "assets", id: asset.id, patch: { name } }])} className="w-full text-[13.5px] leading-[18px] font-medium" />
        <p className="truncate text-[11px] text-soft"><span className="figure">{formatClock(asset.frames / asset.rate)}</span> · {asset.channels === 1 ? "mono" : "stereo"}{fits ? "" : ` · ${asset.rate / 1000} kHz`} · {ORIGINS[asset.origin]}{print && <> <time dateTime={print.madeAt} className="figure">{print.madeAt.slice(0, 16).replace("T", " ")}</time></>}</p>
      </div>
      <p className="min-w-0 text-[11.5px] leading-[15px] text-soft">
        {print && <span className="block truncate">of {print.sources.join(", ")}, tapped {TAPS[print.slip.tap]}{print.checked && <> · residual <span className="figure">{print.residueDb === null ? "none" : `${Math.round(print.residueDb)} dBFS`}</span></>}</span>}
        <span className="block truncate">{useText(session, use)}{stale && <b className="text-caution"> · {stale}</b>}</span>
      </p>
      <div className="flex gap-0.5">
        <Hear hash={asset.id} name={asset.name} />
        <Tool label={`Put ${asset.name} on a new track at the playhead`} disabled={!fits || asset.frames === 0} onClick={place}><ListPlus size={15} aria-hidden /></Tool>
        {reopened && <Tool label={`Reopen the source of ${asset.name}`} onClick={() => { if (edit(`Reopen ${print?.sources.join(", ") ?? "the source"}`, reopened.edits)) select(reopened.tracks); }}><RotateCcw size={14} aria-hidden /></Tool>}
      </div>
    </li>
  );
}

const TAPS: Record<PrintRecord["slip"]["tap"], string> = { clip: "at its clips", devices: "after its devices", channel: "after its fader", group: "after its groups", mix: "at the end of the mix" };

function useText(session: Session, uses: readonly Use[]): string {
  if (uses.length === 0) return "not used";
  const names = [...new Set(uses.map((u) => session.tracks.find((t) => t.id === u.track)).filter((t) => t !== undefined))].map(trackName);
  return `on ${names.slice(0, 3).join(", ")}${names.length > 3 ? ` and ${names.length - 3} more` : ""}${uses.length > names.length ? `, ${uses.length} times` : ""}`;
}

/** Whether a print's source would sound otherwise today; null: it would not, or there is nothing to compare. */
function staleness(session: Session, print: PrintRecord): string | null {
  const ids = print.slip.tracks;
  if (ids.some((id) => !session.tracks.some((t) => t.id === id))) return "its source is gone";
  // Cleared or replaced sources have given their clips to the print: there is nothing left to compare.
  if (print.slip.afterwards === "replace") return null;
  const awake: Session = { ...session, tracks: session.tracks.map((t) => (ids.includes(t.id) ? { ...t, parked: false } : t)) };
  const plan = planPrint(awake, print.slip);
  if (!plan.ok) return "its source cannot be printed any more";
  return plan.value.files.some((f) => f.fingerprint === print.fingerprint) ? null : "stale: its source has changed";
}

/** Brings a parked source back and parks the tracks that play its print; null where the source is not parked. */
function reopening(session: Session, print: PrintRecord): { readonly edits: readonly Edit[]; readonly tracks: readonly string[] } | null {
  const sources = session.tracks.filter((t) => print.slip.tracks.includes(t.id) && t.parked);
  if (sources.length === 0) return null;
  const plays = session.tracks.filter((t) => !t.parked && t.clips.length > 0 && t.clips.every((c) => c.kind === "audio" && c.asset === print.asset));
  return {
    tracks: sources.map((t) => t.id),
    edits: [
      ...sources.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: { parked: false } })),
      ...plays.map((t): Edit => ({ do: "set", in: "tracks", id: t.id, patch: { parked: true } })),
    ],
  };
}

function Wave({ hash, frames }: { readonly hash: string; readonly frames: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useBenchView((v) => v.theme);
  const inksOf = useInks(theme);
  const redraw = useRedraw();
  useEffect(() => {
    const [width, height] = [132, 30];
    const c = canvas.current && prepare(canvas.current, width, height);
    const overview = overviewOf(hash);
    if (!c) return;
    c.clearRect(0, 0, width, height);
    if (!overview) return;
    c.fillStyle = inksOf(c).ink;
    for (let x = 0; x < width; x++) {
      const [low, high] = extremes(overview, (x * frames) / width, ((x + 1) * frames) / width);
      const [top, bottom] = [Math.sqrt(high / 127) * 14, Math.sqrt(-low / 127) * 14];
      c.fillRect(x, 15 - Math.max(0.5, top), 1, Math.max(1, top + bottom));
    }
  }, [hash, frames, redraw, inksOf]);
  return <canvas ref={canvas} style={{ width: 132, height: 30 }} aria-hidden />;
}

/** Plays a file as it lies on the shelf, by itself. */
function Hear({ hash, name }: { readonly hash: string; readonly name: string }) {
  const audio = useRef<HTMLAudioElement | null>(null);
  const [playing, setPlaying] = useState(false);
  useEffect(() => () => audio.current?.pause(), []);
  const toggle = () => {
    if (playing) {
      audio.current?.pause();
      return setPlaying(false);
    }
    const element = (audio.current ??= new Audio(audioAddress(hash)));
    element.onended = () => setPlaying(false);
    element.currentTime = 0;
    void element.play().then(() => setPlaying(true), () => setPlaying(false));
  };
  return <Tool label={playing ? `Stop ${name}` : `Hear ${name}`} onClick={toggle}>{playing ? <Square size={13} fill="currentColor" aria-hidden /> : <Play size={14} fill="currentColor" aria-hidden />}</Tool>;
}

const Tool = ({ label, disabled = false, onClick, children }: { readonly label: string; readonly disabled?: boolean; readonly onClick: () => void; readonly children: React.ReactNode }) => (
  <button type="button" aria-label={label} title={label} disabled={disabled} onClick={onClick} className="grid size-7 place-items-center rounded-sm text-soft hover:bg-rule hover:text-ink disabled:opacity-35">{children}</button>
);
