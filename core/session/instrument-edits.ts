import isEqual from "fast-deep-equal";
import type { Instrument } from "../instruments/instrument";
import { sampled } from "../devices/sampled";
import { makeDevice, makeLane } from "./build";
import type { Asset, Automation, Device, Session, Track } from "./document";
import { applyEdits, type Edit, type Step } from "./edits";
import { MOST_OF } from "./limits";
import { addTrack, freeName, removeDevice } from "./track-edits";

/** An instrument with its recordings, on its way into a session. */
export interface ArrivingInstrument {
  readonly instrument: Instrument;
  readonly assets: readonly Asset[];
  /** The instrument track whose instrument it replaces; null: a new one. */
  readonly track: string | null;
}

/** Edits that put an instrument on a track, and the track. */
interface Placed {
  readonly edits: readonly Edit[];
  readonly track: string;
}

/**
 * Puts instruments on tracks, in one step; one that the session has already is not added again. Left out are those
 * whose track is not there any more, or plays no notes. Null where none is left.
 */
export function placeInstruments(
  session: Session,
  arriving: readonly ArrivingInstrument[],
  newId: () => string,
): { readonly step: Step; readonly put: readonly { readonly name: string; readonly track: string }[] } | null {
  let now = session;
  const edits: Edit[] = [];
  const put: { readonly name: string; readonly track: string }[] = [];
  for (const one of arriving) {
    const placed = place(now, one, newId);
    if (!placed) continue;
    const made = applyEdits(now, { label: "", edits: [...placed.edits] });
    if (!made.ok) continue;
    now = made.value.session;
    edits.push(...placed.edits);
    put.push({ name: one.instrument.name, track: placed.track });
  }
  const [first, ...more] = put;
  if (!first) return null;
  const on = session.tracks.find((t) => t.id === first.track);
  const label =
    more.length > 0
      ? `Put instruments on ${put.length} tracks`
      : on
        ? `Put ${first.name} on ${on.name || "an unnamed track"}`
        : `Add ${first.name}`;
  return { step: { label, edits }, put };
}

function place(
  session: Session,
  { instrument, assets, track }: ArrivingInstrument,
  newId: () => string,
): Placed | null {
  const edits: Edit[] = [];
  const known = new Set(session.assets.map((a) => a.id));
  let index = session.assets.length;
  for (const asset of assets)
    if (!known.has(asset.id)) edits.push({ do: "add", in: "assets", item: { ...asset }, index: index++ });
  const same = session.instruments.find((i) => isEqual({ ...i, id: "" }, { ...instrument, id: "" }));
  const id = same?.id ?? instrument.id;
  if (!same) edits.push({ do: "add", in: "instruments", item: { ...instrument }, index: session.instruments.length });
  const device = { ...makeDevice(newId(), "sampled"), instrument: id };
  if (track !== null) {
    const found = session.tracks.find((t) => t.id === track);
    const [old] = found?.devices ?? [];
    if (!found || found.kind !== "instrument") return null;
    if (old) edits.push(...removeDevice(found, old.id));
    edits.push({ do: "add", in: "devices", track, item: device, index: 0 });
    const kept = found.automation.filter((lane) => lane.of !== old?.id || lane.target !== "param").length;
    for (const [i, lane] of lanesOf(found, old, device.id, newId)
      .slice(0, MOST_OF.automation - kept)
      .entries())
      edits.push({ do: "add", in: "automation", track, item: lane, index: kept + i });
    return { edits, track };
  }
  const made = addTrack(session, "instrument", null, newId);
  for (const edit of made.edits)
    edits.push(
      edit.do === "add" && edit.in === "tracks"
        ? { ...edit, item: { ...edit.item, name: nameFor(session, instrument.name), devices: [device] } }
        : edit,
    );
  return { edits, track: made.id };
}

/** What automation the new instrument of a track has: that of an old one of its kind, else what its notes came with. */
function lanesOf(track: Track, old: Device | undefined, device: string, newId: () => string): readonly Automation[] {
  if (old?.type === sampled.type)
    return track.automation
      .filter((lane) => lane.target === "param" && lane.of === old.id)
      .map((lane) => ({ ...lane, id: newId(), of: device }));
  const { bends = [], wheel = [] } = track.program ?? {};
  return [["bend", bends] as const, ["wheel", wheel] as const].flatMap(([param, points]) =>
    points.length === 0
      ? []
      : [
          makeLane(
            newId(),
            "param",
            points.map((p) => ({ ...p, shape: "hold" as const })),
            device,
            param,
          ),
        ],
  );
}

/** The instrument's own name, numbered where a track has it already. */
const nameFor = (session: Session, name: string): string =>
  session.tracks.some((t) => t.name === name) ? freeName(session, name) : name;
