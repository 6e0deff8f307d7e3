"use client";

import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { toast } from "sonner";
import { TimeMap, centsAt } from "../../core/session/bend";
import { holdTime, holdTimes, moveMark, withMarks, withPitch } from "../../core/session/bend-edits";
import type { AudioClip, Session, Track } from "../../core/session/document";
import type { PatchOf } from "../../core/session/records";
import { onsetsInClip } from "../../core/session/slice";
import type { Frames } from "../../core/units";
import { formatNumber } from "../../core/words/numbers";
import { prepare, useInks, useRedraw } from "../canvas/canvas";
import { drawLanes } from "../clips/draw-lanes";
import { Button } from "../parts/button";
import { NumberField } from "../parts/number-field";
import { usePulls } from "../parts/pull";
import { usePlaybackStore } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { onsetsNow } from "../timeline/onsets";
import { Playhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { snapFrame } from "../timeline/snap";
import { frameAt, shownView, useBenchView, xOf } from "../timeline/view";
import { Columns, DRAWER_HEIGHT } from "./drawer-columns";
import { sayFirstProblem } from "../../core/words/problems";

/** The strip at the upper edge where time markers stand. */
const STRIP_PX = 18;
/** The line of pitch shows at least so much up and down. */
const LEAST_RANGE = 300;
const PITCH_STEP = 10;

type Chosen = { readonly what: "mark" | "pitch"; readonly at: Frames } | null;

/** A clip's time and pitch: markers that hold what sounds at them, and a line of cents, both over its wave. */
export function BendEditor({
  track,
  clip,
  width,
}: {
  readonly track: Track;
  readonly clip: AudioClip;
  readonly width: number;
}) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const playback = usePlaybackStore();
  const grid = useBenchSettings((s) => s.grid);
  const [chosen, setChosen] = useState<Chosen>(null);
  const clock = clockOf(session);
  const name = clip.name || "the clip";
  const audio = session.assets.find((a) => a.id === clip.asset)?.frames ?? 0;
  const set = (label: string, patch: PatchOf<"clips">) =>
    edit(`${label} in ${name}`, [{ do: "set", in: "clips", track: track.id, id: clip.id, patch }]);
  const marks = (label: string, timeMarks: AudioClip["timeMarks"]) =>
    set(label, { ...withMarks(clip, audio, timeMarks) });
  const hold = (frame: Frames) => {
    const made = holdTime(clip, audio, frame - clip.start, session.rate);
    if (!made.ok) return void toast.error(sayFirstProblem(made.problems));
    const added = made.value.find((m) => m.to === clip.offset + Math.round(frame - clip.start));
    if (marks("Set a time marker", [...made.value]) && added) setChosen({ what: "mark", at: added.at });
  };
  const everyOnset = async () => {
    const onsets = await onsetsNow(clip.asset);
    if (onsets === null) return void toast.error("The server cannot be reached: no marker was set.");
    const into = onsetsInClip(clip, onsets, audio).map((f) => f - clip.start);
    const made = holdTimes(clip, audio, into, session.rate);
    if (made.length === clip.timeMarks.length) return void toast("Nothing begins in it that is not held already.");
    marks("Hold every beginning", [...made]);
  };
  /** Every marker that is heard goes to the nearest line, as far as it reaches. */
  const toGrid = () => {
    let now = clip;
    for (let i = 0; i < clip.timeMarks.length; i++) {
      const to = now.timeMarks[i]?.to ?? 0;
      if (to <= clip.offset || to >= clip.offset + clip.frames) continue;
      const frame = snapFrame(clock, clip.start - clip.offset + to, { grid, targets: [], reach: 0 });
      now = { ...now, ...moveMark(now, audio, i, frame - clip.start + clip.offset) };
    }
    marks("Time markers to the grid", now.timeMarks);
  };
  const moveTo = (at: Frames, to: Frames) => {
    const index = clip.timeMarks.findIndex((m) => m.at === at);
    if (index >= 0) set("Move a time marker", { ...moveMark(clip, audio, index, to) });
  };
  const remove = ({ what, at }: NonNullable<Chosen>) => {
    setChosen(null);
    if (what === "mark")
      marks(
        "Remove a time marker",
        clip.timeMarks.filter((m) => m.at !== at),
      );
    else set("Remove a point of pitch", { pitchLine: clip.pitchLine.filter((p) => p.at !== at) });
  };
  const pitch = (label: string, at: Frames, cents: number, was: Frames | null = null) => {
    const kept = was === null ? clip.pitchLine : clip.pitchLine.filter((p) => p.at !== was);
    if (set(label, { pitchLine: [...withPitch(kept, at, cents)] })) setChosen({ what: "pitch", at });
  };
  const mark = chosen?.what === "mark" ? clip.timeMarks.find((m) => m.at === chosen.at) : undefined;
  const point = chosen?.what === "pitch" ? clip.pitchLine.find((p) => p.at === chosen.at) : undefined;
  const index = mark ? clip.timeMarks.indexOf(mark) : -1;
  const factor = (side: -1 | 1): string => {
    if (!mark) return "";
    const other = side < 0 ? (clip.timeMarks[index - 1] ?? { at: 0, to: 0 }) : clip.timeMarks[index + 1];
    const of = other ? Math.abs(mark.to - other.to) / Math.max(1, Math.abs(mark.at - other.at)) : clip.stretch;
    return `${formatNumber(of * 100, 1)} %`;
  };
  return (
    <Columns
      lanes={width}
      left={
        <div className="grid gap-1.5 px-2 text-xs">
          <b className="truncate text-[13px]">{name}</b>
          <span className="figure text-[11px] text-soft">
            {clip.timeMarks.length} {clip.timeMarks.length === 1 ? "marker" : "markers"} · {clip.pitchLine.length}{" "}
            {clip.pitchLine.length === 1 ? "point" : "points"}
          </span>
          <div role="group" aria-label="Time markers" className="flex flex-wrap gap-1">
            <Small title="Set a time marker at the playhead" onClick={() => hold(playback.getState().position())}>
              Hold at playhead
            </Small>
            <Small title="Set a time marker wherever something begins" onClick={() => void everyOnset()}>
              Hold beginnings
            </Small>
            <Small
              title="Move every time marker to the nearest line of the grid"
              disabled={clip.timeMarks.length === 0 || grid === "none"}
              onClick={toGrid}
            >
              To the grid
            </Small>
            <Small
              title="Remove all time markers"
              disabled={clip.timeMarks.length === 0}
              onClick={() => marks("Remove all time markers", [])}
            >
              Let go
            </Small>
          </div>
          <div role="group" aria-label="Pitch" className="flex flex-wrap gap-1">
            <Small
              title="Remove the line of pitch"
              disabled={clip.pitchLine.length === 0}
              onClick={() => set("Remove the line of pitch", { pitchLine: [] })}
            >
              Level pitch
            </Small>
          </div>
        </div>
      }
      middle={
        <Picture
          session={session}
          track={track}
          clip={clip}
          audio={audio}
          width={width}
          chosen={chosen}
          choose={setChosen}
          onHold={hold}
          onMoveMark={moveTo}
          onPitch={pitch}
          onRemove={remove}
        />
      }
      right={
        mark ? (
          <div role="group" aria-label="Chosen time marker" className="grid gap-2">
            <p className="flex items-baseline gap-2">
              <b>Time marker</b>
              <span className="figure text-soft">bar {barText(clock, clip.start - clip.offset + mark.to)}</span>
            </p>
            <div className="grid grid-cols-[88px_1fr] items-center gap-x-3 gap-y-1.5">
              <span className="text-soft">moved by</span>
              <span>
                <NumberField
                  label="Moved by, milliseconds"
                  value={((mark.to - mark.at * clip.stretch) * 1000) / session.rate}
                  digits={1}
                  min={-600000}
                  max={600000}
                  onCommit={(ms) => moveTo(mark.at, Math.round(mark.at * clip.stretch + (ms * session.rate) / 1000))}
                  className="w-20"
                />{" "}
                ms
              </span>
              <span className="text-soft">before it</span>
              <span className="figure">{factor(-1)} of its length</span>
              <span className="text-soft">behind it</span>
              <span className="figure">{factor(1)} of its length</span>
            </div>
            <Button onClick={() => remove({ what: "mark", at: mark.at })}>Remove it</Button>
          </div>
        ) : point ? (
          <div role="group" aria-label="Chosen point of pitch" className="grid gap-2">
            <p>
              <b>Pitch</b>
            </p>
            <span>
              <NumberField
                label="Cents at the point"
                value={point.cents}
                digits={0}
                min={-2400}
                max={2400}
                onCommit={(cents) => pitch("Move a point of pitch", point.at, cents, point.at)}
                className="w-20"
              />{" "}
              cents
            </span>
            <Button onClick={() => remove({ what: "pitch", at: point.at })}>Remove it</Button>
          </div>
        ) : (
          <p className="text-soft">
            Press in the strip above the wave to hold what sounds there, then drag the marker: the audio between markers
            is stretched. Press on the wave to set a point of pitch. Both are part of the clip and of every print of it.
          </p>
        )
      }
    />
  );
}

const Small = (props: React.ComponentProps<typeof Button>) => (
  <Button kind="plain" {...props} className="!min-h-6 !px-1.5 !text-[11.5px]" />
);

interface PictureProps {
  readonly session: Session;
  readonly track: Track;
  readonly clip: AudioClip;
  readonly audio: Frames;
  readonly width: number;
  readonly chosen: Chosen;
  readonly choose: (chosen: Chosen) => void;
  readonly onHold: (frame: Frames) => void;
  readonly onMoveMark: (at: Frames, to: Frames) => void;
  readonly onPitch: (label: string, at: Frames, cents: number, was?: Frames | null) => void;
  readonly onRemove: (chosen: NonNullable<Chosen>) => void;
}

/** The clip alone on the timeline, as a hand bends it, with its markers and its line. */
function Picture(props: PictureProps) {
  const { session, track, clip, audio, width, chosen, choose, onHold, onMoveMark, onPitch, onRemove } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const bench = useBenchView();
  const grid = useBenchSettings((s) => s.grid);
  const inksOf = useInks(bench.theme);
  const redraw = useRedraw();
  const [bent, setBent] = useState<AudioClip | null>(null);
  const shown = bent ?? clip;
  const view = shownView(bench);
  const clock = clockOf(session);
  const map = useMemo(() => new TimeMap(audio, shown), [audio, shown]);
  const alone = useMemo(
    (): Session => ({ ...session, tracks: [{ ...track, clips: [shown] }] }),
    [session, track, shown],
  );
  useEffect(() => {
    const c = canvas.current && prepare(canvas.current, width, DRAWER_HEIGHT - STRIP_PX);
    if (!c) return;
    drawLanes(
      c,
      {
        view,
        session: alone,
        clock,
        states: new Map([[track.id, "live"]]),
        selected: [],
        chosen: new Set(),
        hovered: null,
        dragged: new Map(),
        rowsDown: 0,
        range: null,
        scrollTop: 0,
        rowHeight: DRAWER_HEIGHT - STRIP_PX,
        width,
        height: DRAWER_HEIGHT - STRIP_PX,
        plain: true,
      },
      inksOf(c),
    );
  }, [alone, clock, view, width, redraw, inksOf, track.id]);

  const zero = clip.start - clip.offset;
  const range = Math.max(LEAST_RANGE, ...shown.pitchLine.map((p) => 100 * Math.ceil(Math.abs(p.cents) / 100) + 100));
  const half = (DRAWER_HEIGHT - STRIP_PX) / 2;
  const yOf = (cents: number) => STRIP_PX + half - (cents / range) * (half - 10);
  const xAt = (at: Frames) => xOf(view, zero + map.toStretched(at));
  const inside = (to: Frames) => to >= clip.offset && to <= clip.offset + shown.frames;
  const from = (event: PointerEvent) => {
    const box = (event.currentTarget.closest("svg") as SVGSVGElement).getBoundingClientRect();
    const frame = frameAt(view, event.clientX - box.left);
    const cents = Math.round((((STRIP_PX + half - (event.clientY - box.top)) / (half - 10)) * range) / 5) * 5;
    return {
      frame,
      snapped: snapFrame(clock, frame, event.altKey ? null : { grid, targets: [], reach: 0 }),
      y: event.clientY - box.top,
      cents: Math.max(-2400, Math.min(2400, cents)),
    };
  };
  /** The clip as it would be where a hand lets go. */
  const pulled = (event: PointerEvent, { what, at }: NonNullable<Chosen>): AudioClip => {
    const p = from(event);
    if (what === "mark") {
      const index = clip.timeMarks.findIndex((m) => m.at === at);
      return { ...clip, ...moveMark(clip, audio, index, p.snapped - zero) };
    }
    const rec = placeOf(p.frame);
    const kept = clip.pitchLine.filter((q) => q.at !== at);
    return { ...clip, pitchLine: [...withPitch(kept, rec, p.cents)] };
  };
  /** The place in the recording that is heard at a frame of the timeline. */
  const placeOf = (frame: Frames) =>
    Math.max(0, Math.min(audio, Math.round(new TimeMap(audio, clip).toRecording(frame - zero))));
  const hold = usePulls<SVGElement, NonNullable<Chosen>>((which) => ({
    begin(event) {
      event.stopPropagation();
      choose(which);
      return true;
    },
    move: (event) => setBent(pulled(event, which)),
    end(event) {
      const after = pulled(event, which);
      const moved = bent !== null;
      setBent(null);
      if (!moved) return;
      if (which.what === "mark") {
        const to = after.timeMarks.find((m) => m.at === which.at)?.to;
        if (to !== undefined) onMoveMark(which.at, to);
        return;
      }
      const p = from(event);
      onPitch("Move a point of pitch", placeOf(p.frame), p.cents, which.at);
    },
    cancel: () => setBent(null),
  }));
  const onKey = (
    event: KeyboardEvent,
    which: NonNullable<Chosen>,
    move: (by: -1 | 1) => void,
    keys: readonly string[],
  ) => {
    if (event.key === "Delete" || event.key === "Backspace") onRemove(which);
    else if (keys.includes(event.key)) move(event.key === keys[1] ? 1 : -1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const [left, right] = [xOf(view, clip.start), xOf(view, clip.start + shown.frames)];
  let line = "";
  if (shown.pitchLine.length > 0)
    for (let px = Math.max(0, left); px <= Math.min(width, right); px += 2)
      line += `${line === "" ? "M" : "L"}${px.toFixed(1)} ${yOf(
        centsAt(shown.pitchLine, map.toRecording(frameAt(view, px) - zero)),
      ).toFixed(1)}`;
  const millisecond = session.rate / 1000;
  return (
    <>
      <Playhead view={view} />
      <div className="relative" style={{ width, height: DRAWER_HEIGHT }}>
        <canvas
          ref={canvas}
          className="absolute left-0 block"
          style={{ top: STRIP_PX, width, height: DRAWER_HEIGHT - STRIP_PX }}
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
            const p = from(event);
            if (p.frame < clip.start || p.frame > clip.start + clip.frames) return choose(null);
            if (p.y <= STRIP_PX) onHold(Math.round(p.frame));
            else onPitch("Set a point of pitch", placeOf(p.frame), p.cents);
          }}
        >
          <rect x={left} y="0" width={Math.max(0, right - left)} height={STRIP_PX} fill="var(--paper-shade)" />
          <line x1={left} x2={right} y1={yOf(0)} y2={yOf(0)} stroke="var(--ink-faint)" strokeDasharray="2 3" />
          <path d={line} fill="none" stroke="var(--spot)" strokeWidth="2" className="pointer-events-none" />
          {shown.timeMarks.map((m, i) =>
            inside(m.to) ? (
              <g key={m.at}>
                <line
                  x1={xAt(m.at)}
                  x2={xAt(m.at)}
                  y1={STRIP_PX - 4}
                  y2={DRAWER_HEIGHT}
                  stroke={chosen?.what === "mark" && chosen.at === m.at ? "var(--spot)" : "var(--ink)"}
                  className="pointer-events-none"
                />
                <path
                  d={`M${xAt(m.at) - 6} 2h12v8l-6 6l-6 -6z`}
                  fill={chosen?.what === "mark" && chosen.at === m.at ? "var(--spot)" : "var(--ink)"}
                  stroke="var(--paper-lift)"
                  className="cursor-ew-resize"
                  role="button"
                  tabIndex={0}
                  aria-pressed={chosen?.what === "mark" && chosen.at === m.at}
                  aria-label={`Time marker ${i + 1}: bar ${barText(clock, Math.max(0, Math.round(zero + m.to)))}`}
                  onFocus={() => choose({ what: "mark", at: m.at })}
                  onKeyDown={(event) =>
                    onKey(
                      event,
                      { what: "mark", at: m.at },
                      (by) => onMoveMark(m.at, Math.round(m.to + by * millisecond * (event.shiftKey ? 10 : 1))),
                      ["ArrowLeft", "ArrowRight"],
                    )
                  }
                  {...hold({ what: "mark", at: m.at })}
                />
              </g>
            ) : null,
          )}
          {shown.pitchLine.map((p, i) =>
            inside(map.toStretched(p.at)) ? (
              <circle
                key={i}
                cx={xAt(p.at)}
                cy={yOf(p.cents)}
                r="5"
                fill={chosen?.what === "pitch" && chosen.at === p.at ? "var(--spot)" : "var(--paper-lift)"}
                stroke="var(--spot)"
                strokeWidth="2"
                className="cursor-grab"
                role="button"
                tabIndex={0}
                aria-pressed={chosen?.what === "pitch" && chosen.at === p.at}
                aria-label={`Point of pitch ${i + 1}: ${p.cents} cents`}
                onFocus={() => choose({ what: "pitch", at: p.at })}
                onKeyDown={(event) =>
                  onKey(
                    event,
                    { what: "pitch", at: p.at },
                    (by) => onPitch("Move a point of pitch", p.at, p.cents + by * PITCH_STEP, p.at),
                    ["ArrowDown", "ArrowUp"],
                  )
                }
                {...hold({ what: "pitch", at: clip.pitchLine[i]?.at ?? p.at })}
              />
            ) : null,
          )}
          {[range, -range].map((cents) => (
            <text key={cents} x={Math.max(4, left + 4)} y={yOf(cents) + 4} fontSize="10" fill="var(--ink-soft)">
              {cents > 0 ? "+" : "−"}
              {Math.abs(cents)} ct
            </text>
          ))}
        </svg>
      </div>
    </>
  );
}
