/** So many records each list of a session holds at most, by what edits call it: those of a track for each track. */
export const MOST_OF = {
  tracks: 1000,
  phrases: 10_000,
  assets: 20_000,
  instruments: 500,
  markers: 5000,
  ranges: 5000,
  rows: 500,
  clips: 20_000,
  takes: 200,
  devices: 64,
  sends: 32,
  automation: 64,
} as const;

/** So many clips a session holds at most, wherever they lie: on tracks, inside of nests, in takes. */
export const MOST_CLIPS = 250_000;
/** So many notes and points of automation, and marks and points inside of clips, a session holds at most. */
export const MOST_VALUES = 2_000_000;
/** So many parameters a device is set by at most. */
export const MOST_PARAMS = 1000;
