"use client";

import { Trash2 } from "lucide-react";
import { useState } from "react";
import type { InstrumentFile, PresetInFile } from "../../contract/instruments";
import { Button } from "../parts/button";
import { dragPreset, type DraggedPreset } from "./preset-drag";

/** A preset with its place in its file. */
export interface FoundPreset extends PresetInFile {
  readonly at: number;
}

/** Presets whose name, file, bank or program holds every word of a search. */
export function presetsFound(file: InstrumentFile, search: string): readonly FoundPreset[] {
  const words = search
    .toLowerCase()
    .split(/\s+/)
    .filter((w) => w !== "");
  return file.presets
    .map((preset, at) => ({ ...preset, at }))
    .sort((a, b) => a.bank - b.bank || a.program - b.program)
    .filter(({ name, bank, program }) => {
      const text =
        `${name} ${file.name} ${file.fileName} ${bank === 128 ? "drums" : `bank ${bank}`} ${program}`.toLowerCase();
      return words.every((w) => text.includes(w));
    });
}

/** What a preset is called besides its name: its bank and its program, counted from 0 as in the file. */
export const placeOf = ({ bank, program }: PresetInFile): string =>
  bank === 128 ? `drums, ${program}` : `bank ${bank}, ${program}`;

/** How much of what a SoundFont's zones are attenuated by counts: as specified, or as some hardware did. */
type Attenuation = DraggedPreset["attenuation"];

/** One file of instruments, with the presets that fit a search. */
export function PresetsOfFile({
  file,
  presets,
  onto,
  asked,
  onPut,
  onPutAsked,
  onRemove,
}: {
  readonly file: InstrumentFile;
  readonly presets: readonly FoundPreset[];
  /** Name of the selected track that can take one; null: there is none. */
  readonly onto: string | null;
  /** Tracks that ask for one of its presets: from MIDI, or in the place of an instrument that is not here. */
  readonly asked: readonly { readonly standsIn: boolean }[];
  readonly onPutAsked: (attenuation: Attenuation) => void;
  readonly onPut: (preset: FoundPreset, where: "new" | "selected", attenuation: Attenuation) => void;
  readonly onRemove: () => void;
}) {
  const [attenuation, setAttenuation] = useState<Attenuation>(1);
  const isSoundFont = /\.sf[23]$/i.test(file.fileName);
  return (
    <section aria-label={file.name}>
      <header className="sticky top-0 z-10 flex min-h-11 items-center gap-3 border-b border-rule bg-paper px-4 py-1">
        <h2 className="font-bold">{file.name}</h2>
        <p className="text-xs text-soft">
          {file.fileName}, <span className="figure">{file.presets.length}</span>{" "}
          {file.presets.length === 1 ? "preset" : "presets"}
        </p>
        <span className="flex-1" />
        {isSoundFont && (
          <label
            className="flex items-center gap-1.5 text-xs text-soft hover:text-ink"
            title="For files made for players that took 0.4 of the stated attenuation: quiet zones come out louder."
          >
            <input
              type="checkbox"
              checked={attenuation === 0.4}
              onChange={(e) => setAttenuation(e.target.checked ? 0.4 : 1)}
            />
            Attenuation × 0.4
          </label>
        )}
        {asked.length > 0 && (
          <Button
            kind="main"
            className="self-center"
            title={
              asked.some((a) => a.standsIn)
                ? "Each track gets the preset that fits the name of its instrument, which is not here"
                : "Each track gets the preset that its MIDI file asks for"
            }
            onClick={() => onPutAsked(attenuation)}
          >
            Put on {asked.length} {asked.some((a) => a.standsIn) ? "" : "MIDI "}
            {asked.length === 1 ? "track" : "tracks"}
          </Button>
        )}
        <button
          type="button"
          aria-label={`Remove ${file.name}`}
          title="Remove from the instruments of all sessions. Sessions keep what they play of it."
          onClick={onRemove}
          className="grid size-6 place-items-center self-center rounded-sm text-soft hover:bg-shade hover:text-ink"
        >
          <Trash2 size={13} aria-hidden />
        </button>
      </header>
      <ul aria-label={`Presets of ${file.name}`}>
        {presets.map((preset) => (
          <li
            key={preset.at}
            draggable
            onDragStart={(e) => dragPreset(e, { file: file.id, preset: preset.at, attenuation })}
            className="grid cursor-grab grid-cols-[minmax(0,1fr)_auto_auto] items-center gap-3 border-b border-rule/60 px-4 py-1 hover:bg-shade"
          >
            <span className="min-w-0 truncate">
              {preset.name} <span className="text-xs text-soft">{placeOf(preset)}</span>
            </span>
            {onto === null ? (
              <span />
            ) : (
              <Button
                kind="quiet"
                aria-label={`Put ${preset.name} on ${onto}`}
                onClick={() => onPut(preset, "selected", attenuation)}
              >
                Put on {onto}
              </Button>
            )}
            <Button onClick={() => onPut(preset, "new", attenuation)} aria-label={`Add ${preset.name} on a new track`}>
              Add track
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}
