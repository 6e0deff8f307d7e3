import { meterMap } from "../time/meter";
import { tempoMap } from "../time/tempo";
import type { Frames, Ticks } from "../units";
import { clipSpan } from "./clips";
import type { Clip, Session, Track } from "./document";
import type { Edit } from "./edits";
import type { Checked } from "./problem";
import { refuse } from "./problem";
import { shownName } from "./names";

/**
 * Moves everything that stands on the timeline by whole bars of the first meter: clips, takes, automation, markers,
 * ranges, changes of tempo and meter, the sheet's range. Later: empty bars come in front, at the first tempo and meter.
 * Earlier: empty bars are taken away there; refused where anything stands in them. What was frozen plays live again.
 */
export function moveSession(session: Session, bars: number): Checked<readonly Edit[]> {
  if (bars === 0) return { ok: true, value: [] };
  const tempo = tempoMap(session.tempo, session.rate);
  const meter = meterMap(session.meter);
  const ticks: Ticks = Math.sign(bars) * meter.barToTick(1 + Math.abs(bars));
  const [first, ...changes] = session.tempo;
  if (!first) return refuse("session", "there is no tempo");
  // The bars in front go at the first tempo all along.
  const steady = tempoMap([{ ...first, shape: "hold" }], session.rate);
  const frames: Frames = Math.sign(bars) * steady.toFrames(Math.abs(ticks));
  if (bars < 0) {
    const gone = -ticks;
    const track = session.tracks.find((t) => t.clips.some((c) => clipSpan(c, tempo).from < -frames));
    if (track) return refuse(shownName(track), "a clip stands in the bars that would go");
    if (first.shape === "ramp" || changes.some((p) => p.tick < gone))
      return refuse("tempo", "it changes in the bars that would go");
    if (session.meter.some((p) => p.bar > 1 && p.bar <= -bars))
      return refuse("meter", "it changes in the bars that would go");
    const marked = [...session.markers.map((m) => m.tick), ...session.ranges.map((r) => r.from)].some((t) => t < gone);
    if (marked) return refuse("session", "a marker or a saved range stands in the bars that would go");
  }
  const later = (tick: Ticks): Ticks => Math.max(0, tick + ticks);
  const moved = <C extends Clip>(clip: C): C => ({
    ...clip,
    start: clip.start + (clip.kind === "notes" ? ticks : frames),
  });
  const takes = session.tracks.flatMap((t) => t.takes.flatMap((take) => take.clips));
  if (takes.some((c) => moved(c).start < 0))
    return refuse("takes", "a clip that is put aside stands in the bars that would go");
  return {
    ok: true,
    value: [
      { do: "set session", patch: { tempo: movedTempo(session, ticks), meter: movedMeter(session, bars) } },
      ...(session.sheet.from === null && session.sheet.to === null
        ? []
        : [
            {
              do: "set sheet",
              patch: {
                from: session.sheet.from === null ? null : later(session.sheet.from),
                to: session.sheet.to === null ? null : later(session.sheet.to),
              },
            } as const,
          ]),
      ...session.markers.map((m): Edit => ({ do: "set", in: "markers", id: m.id, patch: { tick: later(m.tick) } })),
      ...session.ranges.map((r): Edit => ({
        do: "set",
        in: "ranges",
        id: r.id,
        patch: { from: later(r.from), to: later(r.to) },
      })),
      ...session.tracks.flatMap((t): Edit[] => [
        ...(t.frozen ? [{ do: "set", in: "tracks", id: t.id, patch: { frozen: null } } as const] : []),
        ...(t.program
          ? [{ do: "set", in: "tracks", id: t.id, patch: { program: movedWheels(t.program, ticks) } } as const]
          : []),
        ...t.clips.map((c): Edit => ({
          do: "set",
          in: "clips",
          track: t.id,
          id: c.id,
          patch: { start: moved(c).start },
        })),
        ...t.takes.map((take): Edit => ({
          do: "set",
          in: "takes",
          track: t.id,
          id: take.id,
          patch: { clips: take.clips.map(moved) },
        })),
        ...t.automation.map((lane): Edit => ({
          do: "set",
          in: "automation",
          track: t.id,
          id: lane.id,
          patch: { points: movedPoints(lane.points, ticks) },
        })),
      ]),
    ],
  };
}

function movedWheels(program: NonNullable<Track["program"]>, ticks: Ticks): Track["program"] {
  const later = ({ tick, value }: { readonly tick: Ticks; readonly value: number }) => ({
    tick: Math.max(0, tick + ticks),
    value,
  });
  return { ...program, bends: program.bends.map(later), wheel: program.wheel.map(later) };
}

function movedTempo({ tempo }: Session, ticks: Ticks): Session["tempo"] {
  const [first, ...rest] = tempo;
  if (!first) return tempo;
  const after = rest.map((p) => ({ ...p, tick: p.tick + ticks }));
  if (ticks > 0 && first.shape === "ramp") return [{ ...first, shape: "hold" }, { ...first, tick: ticks }, ...after];
  // A change right where the first bar comes to stand is the tempo from the beginning.
  return after[0]?.tick === 0 ? after : [first, ...after];
}

function movedMeter({ meter }: Session, bars: number): Session["meter"] {
  const [first, ...rest] = meter;
  if (!first) return meter;
  const after = rest.map((p) => ({ ...p, bar: p.bar + bars }));
  return after[0]?.bar === 1 ? after : [first, ...after];
}

/** Points that would fall before the timeline's zero are held there at what the last of them says. */
function movedPoints<P extends { readonly tick: Ticks }>(points: readonly P[], ticks: Ticks): readonly P[] {
  const moved = points.map((p) => ({ ...p, tick: p.tick + ticks }));
  const ahead = moved.filter((p) => p.tick <= 0).at(-1);
  return [...(ahead ? [{ ...ahead, tick: 0 }] : []), ...moved.filter((p) => p.tick > 0)];
}
