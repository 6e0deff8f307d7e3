import type { Session } from "../../core/session/document";

/** The demo with only some of its tracks, their groups and returns, and the mix: quick to compute. */
export function few(document: Session, tracks: readonly string[]): Session {
  const kept = document.tracks.filter(
    (t) => tracks.includes(t.id) || t.kind === "group" || t.kind === "return" || t.kind === "mix",
  );
  const ids = new Set(kept.map((t) => t.id));
  return {
    ...document,
    tracks: kept.map((t) => ({
      ...t,
      devices: t.devices.map((d) => ({ ...d, key: d.key !== null && ids.has(d.key) ? d.key : null })),
    })),
    sheet: {
      ...document.sheet,
      rows: document.sheet.rows
        .map((r) => ({ ...r, sources: r.sources.filter((s) => ids.has(s)) }))
        .filter((r) => r.sources.length > 0),
    },
  };
}
