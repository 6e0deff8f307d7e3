"use client";

import { useState } from "react";
import type { InstrumentFile } from "../../contract/instruments";
import { presetFor } from "../../core/instruments/presets";
import type { Device, Session, Track } from "../../core/session/document";
import type { Instrument } from "../../core/instruments/instrument";
import { filesOfDrop, choose } from "../intake/gather";
import { Button } from "../parts/button";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { PresetsOfFile, presetsFound } from "./presets";
import { useLibrary } from "./use-library";
import { ZoneMap } from "../devices/zone-map";

/** The screen of instruments: those of all sessions on the left, those that this one plays on the right. */
export function Instruments() {
  const [search, setSearch] = useState("");
  const { files, adding, add, remove } = useLibrary();
  const { session, selected, putInstruments } = useSessionParts((s) => ({
    session: s.session,
    selected: s.selected,
    putInstruments: s.putInstruments,
  }));
  const chosen = session.tracks.find((t) => t.id === selected.at(-1));
  const onto = chosen?.kind === "instrument" && !chosen.frozen && !chosen.parked ? chosen : null;
  const found = (files ?? []).map((file) => ({ file, presets: presetsFound(file, search) }));
  const shown = found.filter(({ presets }) => presets.length > 0);
  return (
    <main
      className="grid h-full grid-rows-[auto_minmax(0,1fr)] bg-paper"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        void filesOfDrop(e.dataTransfer).then(add);
      }}
    >
      <div className="flex items-center gap-4 border-b border-ink px-5 py-3">
        <h1 className="text-2xl font-bold tracking-tight">Instruments</h1>
        <p className="text-soft">{adding ?? countText(files?.flatMap((f) => f.presets).length ?? 0)}</p>
        <span className="flex-1" />
        <input
          type="search"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
          aria-label="Search instruments"
          placeholder="a name, drums, bank 8 …"
          className="min-h-8 w-72 rounded-sm border border-rule bg-lift px-2.5 hover:border-ink"
        />
        <Button
          kind={files?.length === 0 ? "main" : "plain"}
          disabled={adding !== null}
          className="min-h-8"
          onClick={() => choose("files", (all) => void add(all))}
        >
          Add SoundFonts
        </Button>
        <Button
          disabled={adding !== null}
          className="min-h-8"
          title="SFZ files with the recordings that they name"
          onClick={() => choose("folder", (all) => void add(all))}
        >
          Add an SFZ folder
        </Button>
      </div>
      <div className="grid min-h-0 grid-cols-[minmax(0,1fr)_minmax(340px,420px)]">
        <div className="overflow-y-auto border-r border-rule pb-6">
          {files?.length === 0 && (
            <p className="max-w-lg px-5 py-8 text-soft">
              No instruments yet. Add SoundFonts (SF2, SF3) or a folder with SFZ files and their recordings, or drop
              them here. They are kept for all sessions, and a session takes along what it plays of them.
            </p>
          )}
          {files !== null && files.length > 0 && shown.length === 0 && (
            <p className="px-5 py-8 text-soft">No preset fits that.</p>
          )}
          {shown.map(({ file, presets }) => (
            <PresetsOfFile
              key={file.id}
              file={file}
              presets={presets}
              onto={onto ? trackName(onto) : null}
              onPut={(preset, where) =>
                void putInstruments(file.id, [
                  { preset: preset.at, track: where === "selected" ? (onto?.id ?? null) : null },
                ])
              }
              asked={askedOf(file, session)}
              onPutAsked={(puts) => void putInstruments(file.id, puts)}
              onRemove={() => void remove(file)}
            />
          ))}
        </div>
        <aside aria-label="Played in this session" className="overflow-y-auto px-4 py-3">
          <h2 className="font-bold">Played in this session</h2>
          <PlayedHere session={session} />
        </aside>
      </div>
    </main>
  );
}

/** Tracks whose notes ask for a program that a file has, and that do not play an instrument of recordings yet. */
const askedOf = ({ presets }: InstrumentFile, { tracks }: Session) =>
  tracks.flatMap(({ id, kind, program, devices, frozen, parked }) => {
    const isOpen = kind === "instrument" && !frozen && !parked && (devices[0]?.instrument ?? null) === null;
    const preset = isOpen && program ? presetFor(presets, program) : null;
    return preset === null ? [] : [{ preset, track: id }];
  });

const countText = (presets: number): string =>
  presets === 0 ? "" : `${presets} ${presets === 1 ? "preset" : "presets"}, for all sessions`;

/** Every track that plays an instrument of recordings, with its zones. */
function PlayedHere({ session }: { readonly session: Session }) {
  const byId = new Map(session.instruments.map((i) => [i.id, i]));
  const played = session.tracks.flatMap(
    (track): readonly { readonly track: Track; readonly device: Device; readonly instrument: Instrument }[] =>
      track.devices.flatMap((device) => {
        const instrument = byId.get(device.instrument ?? "");
        return instrument ? [{ track, device, instrument }] : [];
      }),
  );
  if (played.length === 0)
    return <p className="py-3 text-soft">No track plays one yet. Add a preset as a track, and its zones are here.</p>;
  return (
    <ul className="grid gap-5 pt-2">
      {played.map(({ track, device, instrument }) => (
        <li key={`${track.id} ${device.id}`} className="grid gap-1.5">
          <p className="flex items-baseline justify-between gap-3">
            <b className="truncate">{trackName(track)}</b>
            <span className="truncate text-xs text-soft">
              {instrument.name}, {instrument.zones.length} {instrument.zones.length === 1 ? "zone" : "zones"}
            </span>
          </p>
          <ZoneMap instrument={instrument} device={device} />
        </li>
      ))}
    </ul>
  );
}
