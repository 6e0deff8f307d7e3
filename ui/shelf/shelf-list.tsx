"use client";

import { Download, GripVertical, ListPlus, RefreshCw, RotateCcw } from "lucide-react";
import { useDeferredValue, useEffect, useMemo, useRef, useState } from "react";
import type { PrintRecord } from "../../contract/print";
import { freshness } from "../../core/printing/refresh";
import type { Asset, Session } from "../../core/session/document";
import { importStep } from "../../core/session/import";
import type { Use } from "../../core/session/usage";
import { usesOf } from "../../core/session/usage";
import { safeName } from "../../core/delivery/naming";
import { formatClock } from "../../core/time/clock";
import { Editable } from "../parts/editable";
import { Floating } from "../parts/floating";
import { itemMenu } from "../parts/item-menu";
import { usePlaybackStore } from "../playback/provider";
import { whenText } from "../parts/dates";
import { api, audioAddress } from "../session/api";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { ASSET_DRAG, Hear, Tool, Wave } from "./piece";
import { SaveFile } from "./save-file";
import { usePrints } from "./use-prints";

const ORIGINS: Record<Asset["origin"], string> = {
  imported: "imported",
  printed: "printed",
  generated: "made by the demo",
  missing: "missing, to be relinked",
  sample: "of an instrument",
};

/**
 * All audio of the session, newest first, as far as it fits what is searched for. `row` draws one in whatever frame it
 * stands.
 */
export function useShelf(search: string) {
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const prints = usePrints();
  const uses = useMemo(() => usesOf(session), [session]);
  // Whether prints are stale takes planning them all: once for each state of the session, and not while a hand is at
  // work.
  const settled = useDeferredValue(session);
  const states = useMemo(
    () => new Map(prints.map((p) => [p.id, freshness(settled, p.slip, p.fingerprint)])),
    [settled, prints],
  );
  const items = useMemo(() => {
    const words = search
      .toLowerCase()
      .split(/\s+/)
      .filter((w) => w !== "");
    return shelved(session)
      .toReversed()
      .map((asset) => {
        const print = prints.find((p) => p.asset === asset.id) ?? null;
        const use = uses.get(asset.id) ?? [];
        const state = print ? (states.get(print.id) ?? null) : null;
        return {
          asset,
          print,
          use,
          state,
          text: `${asset.name} ${ORIGINS[asset.origin]} ${asset.channels === 1 ? "mono" : "stereo"} ${use.length === 0 ? "unused" : "used"} ${print?.sources.join(" ") ?? ""} ${print && isToday(print.madeAt) ? "today" : ""} ${state === "stale" ? "stale" : ""}`.toLowerCase(),
        };
      })
      .filter((item) => words.every((w) => item.text.includes(w)));
  }, [session, prints, uses, states, search]);
  const stale = prints.filter((p) => states.get(p.id) === "stale" && uses.has(p.asset)).map((p) => p.id);
  return {
    session,
    items,
    stale,
    total: shelved(session).length,
    unused: session.assets.filter((a) => !uses.has(a.id)).length,
  };
}

/** An instrument's recordings belong to the instrument, of which there may be hundreds. */
const shelved = ({ assets }: Session) => assets.filter((a) => a.origin !== "sample");

const isToday = (iso: string): boolean => new Date(iso).toDateString() === new Date().toDateString();

export type ShelfItem = ReturnType<typeof useShelf>["items"][number];

/**
 * One piece of audio: its wave, its name, what it is, where it came from and where it is used; to be heard, placed, or
 * carried onto a lane.
 */
export function ShelfRow({ item, session }: { readonly item: ShelfItem; readonly session: Session }) {
  const { edit, take, select, reopen, refresh } = useSessionParts((s) => ({
    edit: s.edit,
    take: s.take,
    select: s.select,
    reopen: s.reopen,
    refresh: s.refresh,
  }));
  const playback = usePlaybackStore();
  const { asset, print, use, state } = item;
  const place = () => {
    const step = importStep(
      session,
      [{ asset, timeReference: null }],
      { by: "frame", frame: Math.round(playback.getState().position()), track: null },
      () => crypto.randomUUID(),
    );
    take({ ...step, label: `Place ${asset.name}` });
  };
  const fits = asset.rate === session.rate;
  const unplaceable = !fits ? "It has another sample rate" : asset.frames === 0 ? "Its audio is missing" : null;
  const saveButton = useRef<HTMLButtonElement>(null);
  const showUses = () => select([...new Set(use.map((u) => u.track))]);
  const reopenSource = () =>
    void (print ? reopen(print.id) : Promise.resolve([])).then((tracks) => {
      if (tracks.length > 0) select(tracks);
    });
  return (
    <li
      {...itemMenu(`Audio ${asset.name}`, () => [
        { label: "Place on a new track", run: place, blocked: unplaceable },
        { label: "Save as a file…", run: () => saveButton.current?.click() },
        { label: "Show where it is used", run: showUses, blocked: use.length === 0 ? "It is not used" : null },
        ...(print
          ? [
              {
                label: "Print again",
                run: () => void refresh([print.id]),
                blocked: state === "stale" ? null : "It is not stale",
              },
              { label: "Reopen its source", run: reopenSource },
            ]
          : []),
      ])}
      className="grid grid-cols-[20px_132px_minmax(0,1.2fr)_minmax(0,1fr)_148px] items-center gap-x-3 border-b border-rule px-2 py-1 hover:bg-shade"
      draggable={fits}
      onDragStart={(e) => {
        e.dataTransfer.setData(ASSET_DRAG, asset.id);
        e.dataTransfer.effectAllowed = "copy";
      }}
    >
      <GripVertical size={14} aria-hidden className={`cursor-grab text-faint ${fits ? "" : "invisible"}`} />
      <Wave hash={asset.id} frames={asset.frames} />
      <div className="min-w-0">
        <Editable
          double
          value={asset.name}
          label={`Audio ${asset.name}`}
          onCommit={(name) =>
            edit(`Rename ${asset.name}`, [{ do: "set", in: "assets", id: asset.id, patch: { name } }])
          }
          className="w-full text-[13.5px] leading-[18px] font-medium"
        />
        <p className="truncate text-[11px] text-soft">
          <span className="figure">{formatClock(asset.frames / asset.rate)}</span> ·{" "}
          {asset.channels === 1 ? "mono" : "stereo"}
          {fits ? "" : ` · ${asset.rate / 1000} kHz`} · {ORIGINS[asset.origin]}
          {print && (
            <>
              {" "}
              <time dateTime={print.madeAt} className="figure">
                {whenText(print.madeAt)}
              </time>
            </>
          )}
        </p>
      </div>
      <p className="min-w-0 text-[11.5px] leading-[15px] text-soft">
        {print && (
          <span className="block truncate">
            of {print.sources.join(", ")}, tapped {tapText(print.slip)}, at revision{" "}
            <span className="figure">{print.revisionBefore}</span>
            {print.checked && (
              <>
                {" "}
                · residual{" "}
                <span className="figure">
                  {print.residueDb === null ? "none" : `${Math.round(print.residueDb)} dBFS`}
                </span>
              </>
            )}
          </span>
        )}
        <span className="block truncate">
          {useText(session, use)}
          {print && state && state !== "fresh" && (
            <> · {state === "stale" ? <Stale print={print} /> : <b className="text-caution">{STATES[state]}</b>}</>
          )}
        </span>
      </p>
      <div className="flex gap-0.5">
        <Hear hash={asset.id} name={asset.name} />
        <Tool
          label={`Put ${asset.name} on a new track at the playhead`}
          disabled={unplaceable !== null}
          onClick={place}
        >
          <ListPlus size={15} aria-hidden />
        </Tool>
        <SaveFile
          asset={asset}
          trigger={
            <button
              ref={saveButton}
              type="button"
              aria-label={`Save ${asset.name} as a file`}
              title={`Save ${asset.name} as a file; dragged to the desktop it is the WAV that it is`}
              draggable
              onDragStart={(e) => {
                e.stopPropagation();
                e.dataTransfer.setData(
                  "DownloadURL",
                  `audio/wav:${fileNameOf(asset)}:${new URL(audioAddress(asset.id), location.href).href}`,
                );
              }}
              className="grid size-7 place-items-center rounded-sm text-soft hover:bg-rule hover:text-ink"
            >
              <Download size={14} aria-hidden />
            </button>
          }
        />
        {print && (
          <Tool
            label={`Print ${asset.name} again from its source`}
            disabled={state !== "stale"}
            onClick={() => void refresh([print.id])}
          >
            <RefreshCw size={14} aria-hidden />
          </Tool>
        )}
        {print && (
          <Tool label={`Reopen the source of ${asset.name}`} onClick={reopenSource}>
            <RotateCcw size={14} aria-hidden />
          </Tool>
        )}
      </div>
    </li>
  );
}

const tapText = ({ tap, before }: PrintRecord["slip"]): string =>
  before === null ? TAPS[tap] : tap === "mix" ? "in front of the mix's chain, or inside it" : "between its devices";

const TAPS: Record<PrintRecord["slip"]["tap"], string> = {
  clip: "at its clips",
  devices: "after its devices",
  channel: "after its fader",
  group: "after its groups",
  mix: "through the mix",
};

const fileNameOf = ({ name }: Asset): string => `${safeName(name)}.wav`;

function useText(session: Session, uses: readonly Use[]): string {
  if (uses.length === 0) return "not used";
  const names = [
    ...new Set(uses.map((u) => session.tracks.find((t) => t.id === u.track)).filter((t) => t !== undefined)),
  ].map(trackName);
  return `on ${names.slice(0, 3).join(", ")}${names.length > 3 ? ` and ${names.length - 3} more` : ""}${uses.length > names.length ? `, ${uses.length} times` : ""}`;
}

const STATES = { gone: "its source is gone", unprintable: "its source cannot be printed any more" } as const;

/** That a print is stale, and on a press what was done to its source since. */
function Stale({ print }: { readonly print: PrintRecord }) {
  return (
    <Floating
      label={`Changes since ${print.name}`}
      side="left"
      width={300}
      trigger={
        <button type="button" className="font-semibold text-caution underline underline-offset-2">
          stale: its source has changed
        </button>
      }
    >
      <Changes print={print} />
    </Floating>
  );
}

function Changes({ print }: { readonly print: PrintRecord }) {
  const id = useSessionParts((s) => ({ id: s.id })).id;
  const [changes, setChanges] = useState<readonly string[] | string | null>(null);
  useEffect(() => {
    let gone = false;
    api.changes(id, print.id).then(
      (list) => {
        if (!gone) setChanges(list);
      },
      (error: Error) => {
        if (!gone) setChanges(error.message);
      },
    );
    return () => {
      gone = true;
    };
  }, [id, print.id]);
  return (
    <div className="grid gap-1 text-[13px]">
      <p className="eyebrow">Since it was printed</p>
      {changes === null ? (
        <p className="text-soft">Looking …</p>
      ) : typeof changes === "string" ? (
        <p className="text-caution">{changes}</p>
      ) : (
        <ul className="list-disc pl-4">
          {changes.slice(-12).map((label) => (
            <li key={label}>{label}</li>
          ))}
          {changes.length === 0 && <li>something it is steered by</li>}
        </ul>
      )}
    </div>
  );
}
