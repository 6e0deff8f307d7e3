"use client";

import type { KeyboardEvent, SVGAttributes } from "react";
import { useMemo } from "react";
import { TimeMap, centsAt } from "../../core/session/bend";
import type { AudioClip, Session, Track } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { Inks } from "../canvas/inks";
import { pathOf } from "../canvas/path";
import { Surface } from "../canvas/surface";
import { pointOf, useGesture } from "../canvas/use-gesture";
import { drawLanes } from "../clips/draw-lanes";
import { barText, clockOf } from "../session/clock";
import { Playhead } from "../timeline/playhead";
import { frameAt, shownView, useBenchView, xOf } from "../timeline/view";
import type { BendHandle, BendWorld } from "./bend-gesture";
import { STRIP_PX, bendGesture, bendPlace, centsShown, heardAt, yOfCents } from "./bend-gesture";
import { DRAWER_HEIGHT } from "./drawer-columns";
import type { Bend } from "./use-bend";

const PITCH_STEP = 10;
const WAVE_PX = DRAWER_HEIGHT - STRIP_PX;

interface Props {
  readonly track: Track;
  readonly clip: AudioClip;
  /** CSS pixels. */
  readonly width: number;
  readonly of: Bend;
}

/** A clip alone on the timeline, as a hand bends it, with its markers and its line of pitch. */
export function BendPicture({ track, clip, width, of }: Props) {
  const { session, audio, grid, chosen, choose } = of;
  const bench = useBenchView();
  const view = shownView(bench);
  const clock = clockOf(session);
  const world: BendWorld = { clip, audio, clock, view, grid, height: DRAWER_HEIGHT };
  const gesture = useGesture(bendGesture(world), {
    began: choose,
    done: (done) => {
      if (done.do === "move mark") of.moveMark(done.at, done.to);
      else of.setPitch("Move a point of pitch", done.at, done.cents, done.was);
    },
    surfaceOf: (handle) => handle.closest("svg") ?? handle,
    slackPx: 1,
    through: false,
  });
  const shown = gesture.shown ?? clip;
  const alone = useMemo(
    (): Session => ({ ...session, tracks: [{ ...track, clips: [shown] }] }),
    [session, track, shown],
  );
  const map = useMemo(() => new TimeMap(audio, shown), [audio, shown]);
  const cents = centsShown(shown);
  const zero = clip.start - clip.offset;
  const y = (of: number) => yOfCents(of, cents, DRAWER_HEIGHT);
  const x = (at: Frames) => xOf(view, zero + map.toStretched(at));
  const isInside = (at: Frames) => at >= clip.offset && at <= clip.offset + shown.frames;
  const draw = (context: CanvasRenderingContext2D, inks: Inks) =>
    drawLanes(
      context,
      {
        ...{ view, clock, width, height: WAVE_PX, rowHeight: WAVE_PX, scrollTop: 0, rowsDown: 0 },
        session: alone,
        states: new Map([[track.id, "live"]]),
        selected: [],
        chosen: new Set(),
        hovered: null,
        dragged: new Map(),
        range: null,
        plain: true,
      },
      inks,
    );
  const [left, right] = [xOf(view, clip.start), xOf(view, clip.start + shown.frames)];
  const line = pathOf(Math.max(0, left), Math.min(width, right), (px) =>
    y(centsAt(shown.pitchLine, map.toRecording(frameAt(view, px) - zero))),
  );
  const isChosen = ({ what, at }: BendHandle) => chosen?.what === what && chosen.at === at;
  /** Of a handle that is moved by a step of keys, `back` and `on`. */
  const handle = (
    which: BendHandle,
    keys: { back: string; on: string },
    move: (by: -1 | 1, shift: boolean) => void,
  ) => ({
    role: "button",
    tabIndex: 0,
    "aria-pressed": isChosen(which),
    onFocus: () => choose(which),
    onKeyDown: (event: KeyboardEvent) => {
      if (event.key === "Delete" || event.key === "Backspace") of.remove(which);
      else if (event.key === keys.back || event.key === keys.on) move(event.key === keys.on ? 1 : -1, event.shiftKey);
      else return;
      event.preventDefault();
      event.stopPropagation();
    },
    ...gesture.on<SVGElement>(which),
  });
  const marker = (m: AudioClip["timeMarks"][number], i: number) => {
    const which = { what: "mark", at: m.at } as const;
    const ms = session.rate / 1000;
    return (
      <TimeMarker
        key={m.at}
        x={x(m.at)}
        chosen={isChosen(which)}
        label={`Time marker ${i + 1}: bar ${barText(clock, Math.max(0, Math.round(zero + m.to)))}`}
        handle={handle(which, { back: "ArrowLeft", on: "ArrowRight" }, (by, shift) =>
          of.moveMark(m.at, Math.round(m.to + by * ms * (shift ? 10 : 1))),
        )}
      />
    );
  };
  const pitchPoint = (p: AudioClip["pitchLine"][number], i: number) => {
    // While it is pulled it has another place: it stays the one that was pressed.
    const which = { what: "pitch", at: clip.pitchLine[i]?.at ?? p.at } as const;
    return (
      <circle
        key={i}
        cx={x(p.at)}
        cy={y(p.cents)}
        r="5"
        fill={isChosen({ what: "pitch", at: p.at }) ? "var(--spot)" : "var(--paper-lift)"}
        stroke="var(--spot)"
        strokeWidth="2"
        className="cursor-grab"
        aria-label={`Point of pitch ${i + 1}: ${p.cents} cents`}
        {...handle(which, { back: "ArrowDown", on: "ArrowUp" }, (by) =>
          of.setPitch("Move a point of pitch", p.at, p.cents + by * PITCH_STEP, p.at),
        )}
      />
    );
  };
  return (
    <>
      <Playhead view={view} />
      <div className="relative" style={{ width, height: DRAWER_HEIGHT }}>
        <Surface
          width={width}
          height={WAVE_PX}
          draw={draw}
          className="absolute left-0 block"
          style={{ top: STRIP_PX }}
          aria-hidden
        />
        <svg
          width={width}
          height={DRAWER_HEIGHT}
          className="absolute inset-0 block touch-none"
          role="group"
          aria-label={`Time and pitch of ${clip.name || "the clip"}: ${clip.timeMarks.length} time markers, ${clip.pitchLine.length} points of pitch`}
          onPointerDown={(event) => {
            if (event.button !== 0) return;
            const point = pointOf(event);
            const place = bendPlace(world, point);
            if (place.frame < clip.start || place.frame > clip.start + clip.frames) choose(null);
            else if (point.y <= STRIP_PX) of.hold(Math.round(place.frame));
            else of.setPitch("Set a point of pitch", heardAt(world, place.frame), place.cents);
          }}
        >
          <rect x={left} y="0" width={Math.max(0, right - left)} height={STRIP_PX} fill="var(--paper-shade)" />
          <line x1={left} x2={right} y1={y(0)} y2={y(0)} stroke="var(--ink-faint)" strokeDasharray="2 3" />
          {shown.pitchLine.length > 0 && (
            <path d={line} fill="none" stroke="var(--spot)" strokeWidth="2" className="pointer-events-none" />
          )}
          {shown.timeMarks.map((m, i) => isInside(m.to) && marker(m, i))}
          {shown.pitchLine.map((p, i) => isInside(map.toStretched(p.at)) && pitchPoint(p, i))}
          {[cents, -cents].map((c) => (
            <text key={c} x={Math.max(4, left + 4)} y={y(c) + 4} fontSize="10" fill="var(--ink-soft)">
              {c > 0 ? "+" : "−"}
              {Math.abs(c)} ct
            </text>
          ))}
        </svg>
      </div>
    </>
  );
}

interface MarkerProps {
  readonly x: number;
  readonly chosen: boolean;
  readonly label: string;
  readonly handle: SVGAttributes<SVGPathElement>;
}

function TimeMarker({ x, chosen, label, handle }: MarkerProps) {
  const ink = chosen ? "var(--spot)" : "var(--ink)";
  return (
    <g>
      <line {...{ x1: x, x2: x, y1: STRIP_PX - 4, y2: DRAWER_HEIGHT }} stroke={ink} className="pointer-events-none" />
      <path
        d={`M${x - 6} 2h12v8l-6 6l-6 -6z`}
        fill={ink}
        stroke="var(--paper-lift)"
        className="cursor-ew-resize"
        aria-label={label}
        {...handle}
      />
    </g>
  );
}
