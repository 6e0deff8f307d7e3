import type { InstrumentFile } from "../../contract/instruments";
import type { Session } from "../../core/session/document";
import { trackName } from "../session/track-state";
import { placeOf, presetsFound } from "./presets";
import { takesInstrument } from "./session-tracks";

/** Most presets that a search is answered with. */
const MOST = 20;

/** A preset that a search finds, as what is done with it. */
export interface PresetPlace {
  readonly id: string;
  readonly label: string;
  readonly about: string;
  readonly synonyms: readonly string[];
  readonly file: string;
  readonly preset: number;
  /** The selected instrument track, on which it is put; null: a new one. */
  readonly track: string | null;
}

/** Presets that every word of a search is found in: to put on the selected track, else on a new one. */
export function presetPlaces(
  files: readonly InstrumentFile[],
  { tracks }: Pick<Session, "tracks">,
  selected: string | undefined,
  search: string,
): readonly PresetPlace[] {
  if (search.trim().length < 2) return [];
  const chosen = tracks.find((t) => t.id === selected);
  const onto = chosen && takesInstrument(chosen) ? chosen : null;
  return files
    .flatMap((file) =>
      presetsFound(file, search).map((preset) => ({
        id: `preset ${file.id} ${preset.at}`,
        label: onto ? `Put ${preset.name} on ${trackName(onto)}` : `Add ${preset.name} on a new track`,
        about: `${placeOf(preset)}, ${file.name}`,
        synonyms: [file.name, file.fileName, placeOf(preset), "soundfont", "sfz"],
        file: file.id,
        preset: preset.at,
        track: onto?.id ?? null,
      })),
    )
    .slice(0, MOST);
}
