import { declarationOf } from "../../devices/catalogue";
import { isSum } from "../../engine/wiring";
import type { Member } from "./member";

/** A pass in real time, as long as what it plays; without one, what works in real time only cannot be printed. */
export const hardware: Member = {
  refusesTrack({ session, slip }, track) {
    if (slip.pass === "real time" || slip.tap === "clip") return null;
    const upstream = isSum(track) ? session.tracks.filter((t) => !t.parked && !t.frozen) : [track];
    for (const t of upstream)
      for (const d of t.devices)
        if (d.on && declarationOf(d.type)?.realTime)
          return {
            kind: "real time only",
            device: declarationOf(d.type)?.name ?? d.type,
            track: t.name || "a track",
          };
    return null;
  },
  differs: ({ slip }) => (slip.pass === "real time" ? { kind: "real time" } : null),
};
