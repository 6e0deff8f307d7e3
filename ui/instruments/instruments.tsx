"use client";

import { useEffect, useState } from "react";
import type { InstrumentFile } from "../../contract/instruments";
import { presetFor } from "../../core/instruments/presets";
import type { Session } from "../../core/session/document";
import { filesOfDrop, choose } from "../intake/gather";
import { Button } from "../parts/button";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { useLibrary } from "./library-store";
import { PresetsOfFile, presetsFound } from "./presets";
import { SessionTracks, takesInstrument } from "./session-tracks";

/** The screen of instruments: those of all sessions on the left, this session's instrument tracks on the right. */
export function Instruments() {
  const [search, setSearch] = useState("");
  const { files, adding, load, add, remove } = useLibrary();
  useEffect(() => void load(), [load]);
  const { session, selected, putInstruments } = useSessionParts((s) => ({
    session: s.session,
    selected: s.selected,
    putInstruments: s.putInstruments,
  }));
  const chosen = session.tracks.find((t) => t.id === selected.at(-1));
  const onto = chosen && takesInstrument(chosen) ? chosen : null;
  const found = (files ?? []).map((file) => ({ file, presets: presetsFound(file, search) }));
  const shown = found.filter(({ presets }) => presets.length > 0);
  return (
    <main
      className="grid h-full grid-rows-[auto_minmax(0,1fr)] bg-paper"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        if (e.dataTransfer.files.length > 0) void filesOfDrop(e.dataTransfer).then(add);
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
              onPut={(preset, where, attenuation) =>
                void putInstruments(
                  file.id,
                  [{ preset: preset.at, track: where === "selected" ? (onto?.id ?? null) : null }],
                  attenuation,
                )
              }
              asked={askedOf(file, session)}
              onPutAsked={(attenuation) => void putInstruments(file.id, putsOf(askedOf(file, session)), attenuation)}
              onRemove={() => void remove(file)}
            />
          ))}
        </div>
        <aside aria-label="Instrument tracks" className="overflow-y-auto px-2 py-3">
          <h2 className="px-2 font-bold">Instrument tracks</h2>
          <SessionTracks
            session={session}
            onDrop={({ file, preset, attenuation }, track) =>
              void putInstruments(file, [{ preset, track }], attenuation)
            }
          />
        </aside>
      </div>
    </main>
  );
}

/**
 * Tracks whose notes ask for a program that a file has, and that do not play an instrument of recordings yet. Some had
 * an instrument that is not here.
 */
const askedOf = ({ presets }: InstrumentFile, { tracks }: Session) =>
  tracks.flatMap((track) => {
    const { id, program, devices } = track;
    const isOpen = takesInstrument(track) && (devices[0]?.instrument ?? null) === null;
    const preset = isOpen && program ? presetFor(presets, program) : null;
    return preset === null ? [] : [{ preset, track: id, standsIn: program?.device !== null }];
  });

const putsOf = (asked: ReturnType<typeof askedOf>) => asked.map(({ preset, track }) => ({ preset, track }));

const countText = (presets: number): string =>
  presets === 0 ? "" : `${presets} ${presets === 1 ? "preset" : "presets"}, for all sessions`;
