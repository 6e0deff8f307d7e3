/** Collections that every track has of its own. */
export const OF_TRACK = ["clips", "takes", "devices", "sends", "automation"] as const;
export type OfTrack = (typeof OF_TRACK)[number];

/**
 * Lists inside a record that hold plain values in an order of their own: notes and points. They are edited by the
 * values that go and the values that come, so that an edit is as large as what was done.
 */
export const valueLists = {
  phrases: { field: "notes", least: 0, most: 100000 },
  automation: { field: "points", least: 1, most: 100000 },
} as const;
