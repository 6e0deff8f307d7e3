"use client";

import { Trash2 } from "lucide-react";
import type { InstrumentFile, PresetInFile } from "../../contract/instruments";
import { Button } from "../parts/button";

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
  /** What tracks that came from MIDI ask for of it. */
  readonly asked: readonly { readonly preset: number; readonly track: string }[];
  readonly onPutAsked: (puts: readonly { readonly preset: number; readonly track: string }[]) => void;
  readonly onPut: (preset: FoundPreset, where: "new" | "selected") => void;
  readonly onRemove: () => void;
}) {
  return (
    <section aria-label={file.name}>
      <header className="sticky top-0 z-10 flex min-h-11 items-center gap-3 border-b border-rule bg-paper px-4 py-1">
        <h2 className="font-bold">{file.name}</h2>
        <p className="text-xs text-soft">
          {file.fileName}, <span className="figure">{file.presets.length}</span>{" "}
          {file.presets.length === 1 ? "preset" : "presets"}
        </p>
        <span className="flex-1" />
        {asked.length > 0 && (
          <Button
            kind="main"
            className="self-center"
            title="Each track gets the preset that its MIDI file asks for, in one step"
            onClick={() => onPutAsked(asked)}
          >
            Put on {asked.length} MIDI {asked.length === 1 ? "track" : "tracks"}
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
            className="grid grid-cols-[minmax(0,1fr)_auto_auto] items-center gap-3 border-b border-rule/60 px-4 py-1 hover:bg-shade"
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
                onClick={() => onPut(preset, "selected")}
              >
                Put on {onto}
              </Button>
            )}
            <Button onClick={() => onPut(preset, "new")} aria-label={`Add ${preset.name} on a new track`}>
              Add track
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}
