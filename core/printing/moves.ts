import { declarationOf } from "../devices/catalogue";
import { completeParams } from "../devices/device";
import { curveOf } from "../engine/automation";
import type { Automation, Session, Track } from "../session/document";
import type { Edit } from "../session/edits";
import { clipSpan } from "../session/clips";
import { sameTarget } from "../session/lanes";
import type { TempoMap } from "../time/tempo";
import type { Frames, Ticks } from "../units";
import type { Reason } from "./reasons";
import type { Slip } from "./slip";
import { leavesOut, parted } from "./slip";

type Lane = Automation;

/** The session with what was ridden in a live pass moving, in place of automation of the same. */
export function withMoves(session: Session, moves: Slip["moves"]): Session {
  if (moves.length === 0) return session;
  return {
    ...session,
    tracks: session.tracks.map((t) => {
      const ridden = moves.filter((m) => m.track === t.id).map((m) => m.lane);
      return ridden.length === 0
        ? t
        : { ...t, automation: [...t.automation.filter((a) => !ridden.some((r) => sameTarget(a, r))), ...ridden] };
    }),
  };
}

/** What was ridden becomes automation of its tracks, in place of automation of the same. */
export function movesAsAutomation(session: Session, moves: Slip["moves"], newId: () => string): readonly Edit[] {
  return session.tracks.flatMap((track): Edit[] => {
    const ridden = moves.filter((m) => m.track === track.id).map((m) => m.lane);
    const gone = track.automation.filter((a) => ridden.some((r) => sameTarget(a, r)));
    return [
      ...gone.map((a): Edit => ({ do: "remove", in: "automation", track: track.id, id: a.id })),
      ...ridden.map((lane, i): Edit => ({
        do: "add",
        in: "automation",
        track: track.id,
        item: { ...lane, id: newId() },
        index: track.automation.length - gone.length + i,
      })),
    ];
  });
}

/** Whether a lane moves something that is inside a print of its track. */
function isBaked(lane: Lane, track: Track, slip: Slip): boolean {
  if (lane.target === "param") return parted(track, slip).baked.some((d) => d.id === lane.of);
  const behind = slip.tap === "channel" || slip.tap === "group" || slip.tap === "mix";
  return behind && (lane.target !== "send" || slip.returns);
}

/** Whether a lane is inside a print and left out of it. */
const isLeftOut = (lane: Lane, track: Track, slip: Slip): boolean =>
  leavesOut(slip, lane.target) && isBaked(lane, track, slip);

/**
 * The session with the automation of some tracks out of the way of a print: what a lane moves rests at its value at
 * `start`, as far as it would be in the print. What is out moves on where it still has a target: a fader by as much as
 * it did, a mute as it did.
 */
export function withoutAutomation(session: Session, slip: Slip, start: Frames, tempo: TempoMap): Session {
  if (slip.automation === "in") return session;
  return {
    ...session,
    tracks: session.tracks.map((t) => {
      if (!slip.tracks.includes(t.id)) return t;
      const out = t.automation.filter((a) => isLeftOut(a, t, slip));
      return out.reduce<Track>((track, lane) => rested(track, lane, start, tempo), {
        ...t,
        automation: t.automation.filter((a) => !out.includes(a)),
      });
    }),
  };
}

function rested(track: Track, lane: Lane, start: Frames, tempo: TempoMap): Track {
  const device = track.devices.find((d) => d.id === lane.of);
  const param = device && declarationOf(device.type)?.params.find((p) => p.id === lane.param);
  const value = curveOf(lane, tempo, param?.taper)(start);
  switch (lane.target) {
    case "fader":
      return { ...track, faderDb: value };
    case "pan":
      return { ...track, pan: value };
    case "mute":
      return { ...track, mute: value >= 0.5 };
    case "send":
      return { ...track, sends: track.sends.map((s) => (s.id === lane.of ? { ...s, gainDb: value } : s)) };
    case "param":
      return {
        ...track,
        devices: track.devices.map((d) =>
          d === device && param ? { ...d, params: { ...d.params, [param.id]: value } } : d,
        ),
      };
  }
}

/**
 * Whether the track that plays a print can go on with what was left out of it: one track's own channel, tapped right
 * behind it, with no room behind that rang by the ride.
 */
const carries = (slip: Slip): boolean =>
  slip.tap === "channel" && !slip.returns && !(slip.together && slip.tracks.length > 1);

/** What of a track's automation moves to the track that plays its print, when it was left out of it. */
export function movedOn(track: Track, slip: Slip, start: Frames, tempo: TempoMap): readonly Lane[] {
  if (slip.automation === "in" || !carries(slip)) return [];
  return track.automation
    .filter((a) => isLeftOut(a, track, slip))
    .flatMap((lane): Lane[] => {
      if (lane.target === "fader") {
        const at = curveOf(lane, tempo)(start);
        return [
          {
            ...lane,
            points: lane.points.map((p) => ({ ...p, value: Math.max(LOWEST_DB, Math.min(HIGHEST_DB, p.value - at)) })),
          },
        ];
      }
      return lane.target === "mute" && curveOf(lane, tempo)(start) < 0.5 ? [lane] : [];
    });
}

const LOWEST_DB = -144;
const HIGHEST_DB = 24;

/**
 * Why a print without its automation does not sound the same, or may not, as with parameters that may be heard or not;
 * null: all of it could move on, or never moved.
 */
export function lostMoves(
  tracks: readonly Track[],
  slip: Slip,
  start: Frames,
  tempo: TempoMap,
): { readonly why: Reason; readonly certain: boolean } | null {
  if (slip.automation === "in") return null;
  for (const track of tracks) {
    const all = track.automation.filter(
      (a) => isLeftOut(a, track, slip) && movesWhile(a, track, start, tempo) && !canMoveOn(a, slip, start, tempo),
    );
    const lost = all.find((a) => a.target !== "param") ?? all[0];
    if (!lost) continue;
    const device = track.devices.find((d) => d.id === lost.of);
    const declaration = device && declarationOf(device.type);
    const what =
      lost.target === "param"
        ? `${declaration?.params.find((p) => p.id === lost.param)?.name ?? lost.param ?? ""} of ${declaration?.name ?? "a device"}`
        : `the ${lost.target}`;
    return {
      why: { kind: "moves left out", what, track: track.name || "a track" },
      certain: lost.target !== "param",
    };
  }
  return null;
}

/** A lane of equal points holds its control where it is. */
function moves(lane: Lane): boolean {
  const values = lane.points.map((p) => (lane.target === "mute" ? Number(p.value >= 0.5) : p.value));
  return Math.max(...values) - Math.min(...values) > NOTHING;
}

/**
 * Whether a lane leaves its value at `start` before the last sound that is placed on its track has begun to ring out.
 */
function movesWhile(lane: Lane, track: Track, start: Frames, tempo: TempoMap): boolean {
  if (!moves(lane)) return false;
  if (track.clips.length === 0) return true;
  const at = curveOf(lane, tempo);
  const spans = track.clips.map((c) => clipSpan(c, tempo));
  const [from, to] = [Math.min(...spans.map((s) => s.from)), Math.max(...spans.map((s) => s.to))];
  const points = lane.points.map((p) => tempo.toFrames(p.tick)).filter((f) => f > from && f < to);
  const rest = at(start);
  return [from, ...points, to].some((f) => Math.abs(at(f) - rest) > NOTHING);
}

/** Of a level in dB or a pan, what leaves nothing over -120 dBFS. */
const NOTHING = 1e-6;

function canMoveOn(lane: Lane, slip: Slip, start: Frames, tempo: TempoMap): boolean {
  if (!carries(slip)) return false;
  const at = curveOf(lane, tempo)(start);
  if (lane.target === "mute") return at < 0.5;
  // What is printed next to silent cannot be raised again, and no fader goes higher than its end.
  return lane.target === "fader" && at > LOWEST_DB && lane.points.every((p) => p.value - at <= HIGHEST_DB);
}

/**
 * What a print that is tapped behind a track's channel has of it: `open`: nothing, the channel lets all through as it
 * is; `set`: a level, a place or a valve.
 */
export function bakedChannel(track: Track, slip: Slip, start: Frames, tempo: TempoMap): "open" | "set" {
  const of = (target: Lane["target"], rest: number, isOpen: (value: number) => boolean): boolean => {
    const lane = track.automation.find((a) => a.target === target);
    if (!lane) return isOpen(rest);
    return leavesOut(slip, target)
      ? isOpen(curveOf(lane, tempo)(start))
      : !moves(lane) && isOpen(lane.points[0]?.value ?? rest);
  };
  return of("fader", track.faderDb, (v) => Math.abs(v) <= NOTHING) &&
    of("pan", track.pan, (v) => Math.abs(v) <= NOTHING) &&
    of("mute", track.mute ? 1 : 0, (v) => v < 0.5)
    ? "open"
    : "set";
}

/** Points closer to the line between their neighbours than this part of the range are not kept. */
const KEEP = 0.002;
/** A control that has not been touched for so long stayed where it was. */
const RESTS_TICKS: Ticks = 96;

interface Ridden {
  readonly track: string;
  readonly target: Lane["target"];
  readonly of: string | null;
  readonly param: string | null;
  readonly points: { tick: Ticks; value: number }[];
}

/** Keeps what is ridden in a live pass, as edits that hands make while it plays, and makes lanes of it. */
export class MoveRecorder {
  private readonly ridden = new Map<string, Ridden>();

  /** `session` and `start`: how everything stood when the pass began. */
  constructor(
    private readonly session: Session,
    private readonly start: Ticks,
    private readonly tempo: TempoMap,
  ) {}

  /** What can be ridden of some edits is kept at a tick; answers whether all of them could. */
  ride(edits: readonly Edit[], tick: Ticks): boolean {
    let all = true;
    for (const edit of edits) {
      const controls = controlsIn(edit);
      if (controls.length === 0) all = false;
      for (const c of controls) this.put(c, Math.max(this.start, Math.round(tick)));
    }
    return all;
  }

  private put({ value, ...control }: Omit<Ridden, "points"> & { readonly value: number }, tick: Ticks): void {
    const key = [control.track, control.target, control.of, control.param].join("/");
    const rest = this.restOf(control);
    if (rest === null) return;
    const known = this.ridden.get(key) ?? { ...control, points: [{ tick: this.start, value: rest }] };
    this.ridden.set(key, known);
    const last = known.points.at(-1);
    if (last && tick - last.tick > RESTS_TICKS) known.points.push({ tick: tick - 1, value: last.value });
    if (last && last.tick >= tick) known.points[known.points.length - 1] = { tick: last.tick, value };
    else known.points.push({ tick, value });
  }

  /** Where a control stood when the pass began, its automation included; null: there is no such thing. */
  private restOf({ track: id, target, of, param }: Omit<Ridden, "points">): number | null {
    const track = this.session.tracks.find((t) => t.id === id);
    if (!track) return null;
    const lane = track.automation.find((a) => sameTarget(a, { target, of, param }));
    const device = track.devices.find((d) => d.id === of);
    const declaration = device && declarationOf(device.type);
    const declared = declaration?.params.find((p) => p.id === param);
    if (target === "param" && (!device || !declaration || !declared || declared.fixed)) return null;
    if (lane) return curveOf(lane, this.tempo, declared?.taper)(this.tempo.toFrames(this.start));
    switch (target) {
      case "fader":
        return track.faderDb;
      case "pan":
        return track.pan;
      case "mute":
        return track.mute ? 1 : 0;
      case "send":
        return track.sends.find((s) => s.id === of)?.gainDb ?? null;
      case "param":
        return device && declaration ? (completeParams(declaration, device.params)[param ?? ""] ?? null) : null;
    }
  }

  /** How many controls were touched. */
  get count(): number {
    return this.ridden.size;
  }

  /**
   * What makes a session stand as it is ridden now: every touched control at its last value, its own automation out of
   * the way.
   */
  held(session: Session): readonly Edit[] {
    return [...this.ridden.values()].flatMap(({ track: id, target, of, param, points }): Edit[] => {
      const track = session.tracks.find((t) => t.id === id);
      const value = points.at(-1)?.value;
      if (!track || value === undefined) return [];
      const lane = track.automation.find((a) => sameTarget(a, { target, of, param }));
      return [
        ...(lane ? [{ do: "remove", in: "automation", track: id, id: lane.id } as const] : []),
        ...turned(track, target, of, param, value),
      ];
    });
  }

  /** The lanes of all that was touched. */
  lanes(newId: () => string): Slip["moves"] {
    return [...this.ridden.values()].map(({ track, target, of, param, points }) => ({
      track,
      lane: {
        id: newId(),
        target,
        of,
        param,
        points: thinned(points).map((p) => ({
          ...p,
          shape: target === "mute" ? ("hold" as const) : ("linear" as const),
          bend: 0,
        })),
      },
    }));
  }
}

/** The edit that turns one control of a track; none where it is gone. */
function turned(
  track: Track,
  target: Lane["target"],
  of: string | null,
  param: string | null,
  value: number,
): readonly Edit[] {
  switch (target) {
    case "fader":
      return [{ do: "set", in: "tracks", id: track.id, patch: { faderDb: value } }];
    case "pan":
      return [{ do: "set", in: "tracks", id: track.id, patch: { pan: value } }];
    case "mute":
      return [{ do: "set", in: "tracks", id: track.id, patch: { mute: value >= 0.5 } }];
    case "send":
      return of !== null && track.sends.some((s) => s.id === of)
        ? [{ do: "set", in: "sends", track: track.id, id: of, patch: { gainDb: value } }]
        : [];
    case "param":
      return of !== null && param !== null && track.devices.some((d) => d.id === of)
        ? [{ do: "set", in: "devices", track: track.id, id: of, patch: { params: { [param]: value } } }]
        : [];
  }
}

/** The controls a plain edit turns: faders, pans, mutes, sends and parameters of devices. */
function controlsIn(edit: Edit): readonly (Omit<Ridden, "points"> & { readonly value: number })[] {
  if (edit.do !== "set") return [];
  const one = (
    track: string,
    target: Lane["target"],
    value: unknown,
    of: string | null = null,
    param: string | null = null,
  ) =>
    typeof value === "number"
      ? [{ track, target, of, param, value }]
      : typeof value === "boolean"
        ? [{ track, target, of, param, value: value ? 1 : 0 }]
        : [];
  const only = (...fields: readonly string[]) => Object.keys(edit.patch).every((key) => fields.includes(key));
  if (edit.in === "tracks" && only("faderDb", "pan", "mute")) {
    const { faderDb, pan, mute } = edit.patch;
    return [...one(edit.id, "fader", faderDb), ...one(edit.id, "pan", pan), ...one(edit.id, "mute", mute)];
  }
  if (edit.in === "sends" && only("gainDb")) return one(edit.track, "send", edit.patch.gainDb, edit.id);
  if (edit.in !== "devices" || !only("params")) return [];
  return Object.entries(edit.patch.params ?? {}).flatMap(([param, value]) =>
    one(edit.track, "param", value, edit.id, param),
  );
}

/** Drops points that lie on the way between their neighbours. */
function thinned(
  points: readonly { readonly tick: Ticks; readonly value: number }[],
): readonly { readonly tick: Ticks; readonly value: number }[] {
  const values = points.map((p) => p.value);
  const near = KEEP * Math.max(1e-6, Math.max(...values) - Math.min(...values));
  const kept: { readonly tick: Ticks; readonly value: number }[] = [];
  points.forEach((p, i) => {
    const before = kept.at(-1);
    const next = points[i + 1];
    if (!before || !next) return void kept.push(p);
    const on = before.value + ((next.value - before.value) * (p.tick - before.tick)) / (next.tick - before.tick);
    if (Math.abs(p.value - on) > near) kept.push(p);
  });
  return kept;
}
