"use client";

import { usePull } from "../parts/pull";
import { ChevronLeft, Copy, Trash2 } from "lucide-react";
import { create } from "zustand";
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type MouseEvent, type PointerEvent } from "react";
import type { PatchOf } from "../../core/session/records";
import type { AudioClip, Clip, NestClip, Session, Track } from "../../core/session/document";
import { isPlaced } from "../../core/session/clips";
import { toast } from "sonner";
import { crossfade, splitClip } from "../../core/session/clip-edits";
import type { Edit } from "../../core/session/edits";
import { childrenAfter, nestAt, trackInside, withChildren } from "../../core/session/inside-nest";
import type { Checked } from "../../core/session/problem";
import { usePlaybackStore } from "../playback/provider";
import { Button } from "../parts/button";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { prepare, useInks, useRedraw } from "../canvas/canvas";
import { ClipNumbers } from "../clips/clip-row";
import { Columns, DRAWER_HEIGHT } from "./drawer-columns";
import { drawLanes } from "../clips/draw-lanes";
import type { ClipDrag } from "../clips/gestures";
import { dragEdit, dragged, grab } from "../clips/gestures";
import { onsetsOf } from "../timeline/onsets";
import { Playhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { snapTargets } from "../timeline/snap";
import { stepped } from "../timeline/step";
import { frameAt, shownView, useBenchView, xOf } from "../timeline/view";
import { sayFirstProblem } from "../../core/words/problems";
import { shownName } from "../../core/session/names";

type Child = AudioClip | NestClip;
const DRAG_PX = 3;
const REACH_PX = 7;
const NOTHING: ReadonlyMap<string, Clip> = new Map();

/**
 * What is in a nest, on the timeline where it sounds: moved, trimmed, faded and leveled as on the lanes; what its
 * window hides is hatched away.
 */
export function NestEditor({
  track,
  top,
  width,
}: {
  readonly track: Track;
  readonly top: NestClip;
  readonly width: number;
}) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const playback = usePlaybackStore();
  const copiedChild = useCopied((s) => s.child);
  const [path, setPath] = useState<readonly string[]>([]);
  const [chosen, setChosen] = useState<string | null>(null);
  const found = nestAt(top, path) ?? nestAt(top, []);
  if (!found) return null;
  const { nest, shift } = found;
  const inside = nestAt(top, path) ? path : [];
  const name = nest.name || "the nest";
  const child = nest.children.find((c) => c.id === chosen) ?? null;
  const put = (label: string, children: readonly Child[]) =>
    edit(`${label} in ${name}`, [
      { do: "set", in: "clips", track: track.id, id: top.id, patch: { children: withChildren(top, inside, children) } },
    ]);
  const change = (label: string, id: string, patch: PatchOf<"clips">) =>
    put(
      label,
      nest.children.map((c) => (c.id === id ? ({ ...c, ...patch } as Child) : c)),
    );
  const remove = (id: string) => {
    put(
      `Remove ${nest.children.find((c) => c.id === id)?.name || "a clip"}`,
      nest.children.filter((c) => c.id !== id),
    );
    setChosen(null);
  };
  const copy = (c: Child) => {
    const id = crypto.randomUUID();
    if (put(`Duplicate ${c.name || "a clip"}`, [...nest.children, { ...c, id, start: c.start + c.frames }]))
      setChosen(id);
  };
  const open = (c: Child | undefined) => {
    if (c?.kind !== "nest") return;
    setPath([...inside, c.id]);
    setChosen(null);
  };
  const clock = clockOf(session);
  const inner = trackInside(track, nest, shift);
  const innerChild = inner.clips.find((c) => c.id === child?.id);
  /** What is done to clips anywhere, done to those inside. */
  const within = (label: string, made: Checked<readonly Edit[]>, choose: string | null = chosen) => {
    if (!made.ok) return void toast.error(sayFirstProblem(made.problems));
    if (put(label, childrenAfter(nest, shift, made.value))) setChosen(choose);
  };
  const tools: Readonly<Record<NestTool, Tool>> = {
    k: {
      label: "Cut",
      about: "Cut at the playhead",
      can: innerChild !== undefined,
      run: () => {
        if (!innerChild) return;
        const id = crypto.randomUUID();
        const at = Math.round(playback.getState().position());
        within(`Cut ${innerChild.name || "a clip"} in two`, splitClip(inner, innerChild, at, clock.tempo, id), id);
      },
    },
    v: {
      label: "Crossfade",
      about: "Crossfade with the one before",
      can: innerChild !== undefined,
      run: () => {
        if (!innerChild) return;
        const frames = Math.round(CROSSFADE_S * session.rate);
        const made = crossfade({ ...session, tracks: [inner] }, inner, innerChild, frames);
        within(`Crossfade into ${innerChild.name || "a clip"}`, made);
      },
    },
    q: {
      label: child?.muted ? "Let sound" : "Silence",
      about: child?.muted ? "Let it sound again" : "Silence it where it lies",
      can: child !== null,
      run: () =>
        child &&
        change(`${child.muted ? "Let sound" : "Silence"} ${child.name || "a clip"}`, child.id, {
          muted: !child.muted,
        }),
    },
    c: { label: "Copy", about: "Copy it", can: child !== null, run: () => useCopied.setState({ child }) },
    p: {
      label: "Paste",
      about: "Paste at the playhead",
      can: copiedChild !== null,
      run: () => {
        if (!copiedChild) return;
        const id = crypto.randomUUID();
        const start = Math.max(0, Math.round(playback.getState().position()) - shift);
        if (put(`Paste ${copiedChild.name || "a clip"}`, [...nest.children, { ...copiedChild, id, start }]))
          setChosen(id);
      },
    },
  };
  return (
    <Columns
      lanes={width}
      left={
        <div className="px-2 text-xs">
          <div className="flex items-center gap-1">
            {inside.length > 0 && (
              <button
                type="button"
                aria-label="Back to the nest around it"
                title="Back to the nest around it"
                onClick={() => {
                  setPath(inside.slice(0, -1));
                  setChosen(null);
                }}
                className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade"
              >
                <ChevronLeft size={14} aria-hidden />
              </button>
            )}
            <b className="min-w-0 flex-1 truncate text-[13px]">{name}</b>
          </div>
          <ul aria-label={`Clips in ${name}`}>
            {nest.children.map((c) => (
              <li key={c.id}>
                <button
                  type="button"
                  aria-pressed={c.id === chosen}
                  onClick={() => setChosen(c.id)}
                  onDoubleClick={() => open(c)}
                  className={`flex min-h-6 w-full items-center gap-2 rounded-sm px-1 text-left ${c.id === chosen ? "bg-spot-wash font-semibold" : "hover:bg-shade"}`}
                >
                  <span className="min-w-0 flex-1 truncate">
                    {shownName(c)}
                    {c.kind === "nest" && " (nest)"}
                  </span>
                  <span className="figure text-[11px] text-soft">{barText(clock, Math.max(0, c.start + shift))}</span>
                </button>
              </li>
            ))}
          </ul>
        </div>
      }
      middle={
        <Picture
          session={session}
          track={track}
          nest={nest}
          shift={shift}
          width={width}
          chosen={chosen}
          onChoose={setChosen}
          onChange={change}
          onRemove={remove}
          onOpen={open}
          onTool={(tool) => tools[tool].can && tools[tool].run()}
        />
      }
      right={
        child ? (
          <div className="grid gap-2">
            <div className="flex items-center gap-2">
              <b className="min-w-0 flex-1 truncate">{shownName(child)}</b>
              {child.kind === "nest" && <Button onClick={() => open(child)}>Open it</Button>}
              <Button
                kind="quiet"
                aria-label={`Duplicate ${child.name || "the clip"} in the nest`}
                title="Duplicate it behind itself"
                onClick={() => copy(child)}
              >
                <Copy size={13} aria-hidden />
              </Button>
              <Button
                kind="quiet"
                aria-label={`Remove ${child.name || "the clip"} from the nest`}
                title="Remove"
                onClick={() => remove(child.id)}
              >
                <Trash2 size={13} aria-hidden />
              </Button>
            </div>
            <Tools tools={tools} />
            <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
              <ClipNumbers
                clip={child}
                session={session}
                set={(label, patch) => change(`${label} of ${child.name || "a clip"}`, child.id, patch)}
              />
            </div>
          </div>
        ) : (
          <div className="grid gap-2">
            <p className="text-soft">
              Drag a clip to move it, its edges to trim it, its corners to fade it. The nest itself stays where it is
              and as long as it is.
            </p>
            {copiedChild && <Tools tools={tools} />}
          </div>
        )
      }
    />
  );
}

/** Keys of what can be done inside a nest; copying and pasting want Ctrl, as everywhere. */
type NestTool = "k" | "v" | "q" | "c" | "p";
interface Tool {
  readonly label: string;
  readonly about: string;
  readonly can: boolean;
  readonly run: () => void;
}
const TOOL_KEYS: Readonly<Record<NestTool, string>> = { k: "K", v: "V", q: "Q", c: "Ctrl+C", p: "Ctrl+V" };
/** How long a crossfade is where two clips only touch. */
const CROSSFADE_S = 0.02;
/** The clip that was copied out of a nest last, of this page alone. */
const useCopied = create<{ readonly child: Child | null }>()(() => ({ child: null }));

function Tools({ tools }: { readonly tools: Readonly<Record<NestTool, Tool>> }) {
  return (
    <div role="group" aria-label="What can be done inside" className="flex flex-wrap gap-1">
      {(Object.keys(TOOL_KEYS) as NestTool[]).map((tool) => (
        <Button
          key={tool}
          kind="plain"
          disabled={!tools[tool].can}
          title={`${tools[tool].about} (${TOOL_KEYS[tool]})`}
          onClick={tools[tool].run}
          className="!min-h-6 !px-1.5 !text-[11.5px]"
        >
          {tools[tool].label}
        </Button>
      ))}
    </div>
  );
}

/** Which tool a key stands for; null: none. */
function toolOf(event: KeyboardEvent): NestTool | null {
  const key = event.key.toLowerCase();
  if (event.ctrlKey || event.metaKey) return key === "c" ? "c" : key === "v" ? "p" : null;
  return key === "k" || key === "v" || key === "q" ? key : null;
}

interface PictureProps {
  readonly session: Session;
  readonly track: Track;
  readonly nest: NestClip;
  /** From the nest's own time to the timeline's. */
  readonly shift: number;
  readonly width: number;
  readonly chosen: string | null;
  readonly onChoose: (id: string | null) => void;
  readonly onChange: (label: string, id: string, patch: PatchOf<"clips">) => void;
  readonly onRemove: (id: string) => void;
  readonly onOpen: (child: Child | undefined) => void;
  readonly onTool: (tool: NestTool) => void;
}

/** The children drawn as a lane of their own; the same hands and handles as on the lanes. */
function Picture({
  session,
  track,
  nest,
  shift,
  width,
  chosen,
  onChoose,
  onChange,
  onRemove,
  onOpen,
  onTool,
}: PictureProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const bench = useBenchView();
  const settings = useBenchSettings();
  const inksOf = useInks(bench.theme);
  const redraw = useRedraw();
  const [hold, setHold] = useState<{
    readonly drag: ClipDrag;
    readonly x: number;
    readonly y: number;
    readonly snap: {
      readonly grid: typeof settings.grid;
      readonly targets: ReturnType<typeof snapTargets>;
      readonly reach: number;
    };
  } | null>(null);
  const [shown, setShown] = useState(NOTHING);
  const [hovered, setHovered] = useState<string | null>(null);
  const view = shownView(bench);
  const clock = clockOf(session);
  // The nest as a session of one track, its children where they stand on the timeline.
  const inner = useMemo(
    (): Session => ({
      ...session,
      tracks: [trackInside(track, nest, shift)],
    }),
    [session, track, nest, shift],
  );
  useEffect(() => {
    const c = canvas.current && prepare(canvas.current, width, DRAWER_HEIGHT);
    if (!c) return;
    const inks = inksOf(c);
    drawLanes(
      c,
      {
        view,
        session: inner,
        clock,
        states: new Map([[track.id, "live"]]),
        selected: [],
        chosen: new Set(chosen === null ? [] : [chosen]),
        hovered,
        dragged: shown,
        rowsDown: 0,
        range: null,
        scrollTop: 0,
        rowHeight: DRAWER_HEIGHT,
        width,
        height: DRAWER_HEIGHT,
      },
      inks,
    );
    c.fillStyle = inks.shade;
    c.globalAlpha = 0.72;
    const [from, to] = [
      xOf(view, nest.start + shift - (nest.start - nest.offset)),
      xOf(view, nest.offset + nest.frames + shift),
    ];
    c.fillRect(0, 0, Math.max(0, from), DRAWER_HEIGHT);
    c.fillRect(to, 0, Math.max(0, width - to), DRAWER_HEIGHT);
    c.globalAlpha = 1;
  }, [inner, clock, view, chosen, hovered, shown, width, redraw, inksOf, track.id, nest, shift]);

  const at = (event: MouseEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return { row: 0, y: event.clientY - box.top, frame: frameAt(view, event.clientX - box.left) };
  };
  const after = (held: NonNullable<typeof hold>, event: PointerEvent): Clip => {
    const made = dragged(
      held.drag,
      inner,
      clock,
      at(event).frame,
      event.altKey ? null : held.snap,
      held.y - event.clientY,
    );
    // Nothing lies before a nest's own zero.
    return isPlaced(made) ? { ...made, start: Math.max(shift, made.start) } : made;
  };
  const commit = (before: Clip, end: Clip) => {
    const made = dragEdit(before, end, track.id);
    if (made?.do === "set")
      onChange(`${before.start === end.start ? "Change" : "Move"} ${end.name || "a clip"}`, end.id, {
        ...made.patch,
        start: end.start - shift,
      });
  };
  const step = (event: KeyboardEvent) => {
    const child = nest.children.find((c) => c.id === chosen);
    const tool = toolOf(event);
    if (tool !== null) onTool(tool);
    else if (event.key === "Delete" && child) onRemove(child.id);
    else if ((event.key === "ArrowLeft" || event.key === "ArrowRight") && child) {
      const to = stepped(clock, child.start + shift, event.key === "ArrowRight" ? 1 : -1);
      onChange(`Move ${child.name || "a clip"}`, child.id, { start: Math.max(0, to - shift) });
    } else if (event.key === "Enter") onOpen(child);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const pull = usePull<HTMLCanvasElement>({
    begin(event) {
      const drag = grab(inner, clock, at(event), view.framesPerPixel, event.ctrlKey || event.metaKey);
      onChoose(drag?.clip.id ?? null);
      if (!drag) return false;
      setHold({
        drag,
        x: event.clientX,
        y: event.clientY,
        snap: {
          grid: settings.grid,
          targets: snapTargets(inner, clock, settings, onsetsOf, new Set([drag.clip.id])),
          reach: REACH_PX * view.framesPerPixel,
        },
      });
      return true;
    },
    move(event) {
      if (!hold) return;
      if (shown === NOTHING && Math.hypot(event.clientX - hold.x, event.clientY - hold.y) < DRAG_PX) return;
      const clip = after(hold, event);
      setShown(new Map([[clip.id, clip]]));
    },
    end(event) {
      if (hold && Math.hypot(event.clientX - hold.x, event.clientY - hold.y) >= DRAG_PX)
        commit(hold.drag.clip, after(hold, event));
      setHold(null);
      setShown(NOTHING);
    },
    cancel() {
      setHold(null);
      setShown(NOTHING);
    },
    hover: (event) => setHovered(grab(inner, clock, at(event), view.framesPerPixel)?.clip.id ?? null),
  });
  return (
    <>
      <Playhead view={view} />
      <canvas
        ref={canvas}
        tabIndex={0}
        role="img"
        aria-label="What is in the nest. The list beside it says the same in words; arrow keys move the chosen clip."
        style={{ width, height: DRAWER_HEIGHT, cursor: hold ? "grabbing" : "default" }}
        className="block touch-none"
        onKeyDown={step}
        {...pull}
        onPointerLeave={() => setHovered(null)}
        onDoubleClick={(event) =>
          onOpen(nest.children.find((c) => c.id === grab(inner, clock, at(event), view.framesPerPixel)?.clip.id))
        }
      />
    </>
  );
}
