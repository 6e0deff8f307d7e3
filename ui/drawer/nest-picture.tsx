"use client";

import type { KeyboardEvent } from "react";
import { useMemo, useState } from "react";
import type { AudioClip, NestClip, Session, Track } from "../../core/session/document";
import { trackInside } from "../../core/session/inside-nest";
import type { PatchOf } from "../../core/session/records";
import type { Frames } from "../../core/units";
import type { Inks } from "../canvas/inks";
import { Surface } from "../canvas/surface";
import { pointOf, useGesture } from "../canvas/use-gesture";
import { drawLanes } from "../clips/draw-lanes";
import { clockOf } from "../session/clock";
import { onsetsOf } from "../timeline/onsets";
import { Playhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { snapTargets } from "../timeline/snap";
import { stepped } from "../timeline/step";
import { shownView, useBenchView, xOf } from "../timeline/view";
import { DRAWER_HEIGHT } from "./drawer-columns";
import type { NestWorld } from "./nest-gesture";
import { grabIn, nestGesture } from "./nest-gesture";
import type { NestTool } from "./nest-tools";
import { toolOf } from "./nest-tools";

const REACH_PX = 7;
/** How much of what a nest's window hides is covered. */
const COVER = 0.72;

interface Props {
  readonly session: Session;
  readonly track: Track;
  readonly nest: NestClip;
  /** From the nest's own time to the timeline's. */
  readonly shift: Frames;
  /** CSS pixels. */
  readonly width: number;
  readonly chosen: string | null;
  readonly onChoose: (id: string | null) => void;
  readonly onChange: (label: string, id: string, patch: PatchOf<"clips">) => void;
  readonly onRemove: (id: string) => void;
  readonly onOpen: (child: AudioClip | NestClip | undefined) => void;
  readonly onTool: (tool: NestTool) => void;
}

/** The clips of a nest drawn as a lane of their own; the same hands and handles as on the lanes. */
export function NestPicture(props: Props) {
  const { session, track, nest, shift, width, chosen, onChoose, onChange, onRemove, onOpen, onTool } = props;
  const bench = useBenchView();
  const settings = useBenchSettings();
  const [hovered, setHovered] = useState<string | null>(null);
  const view = shownView(bench);
  const clock = clockOf(session);
  const inner = useMemo(
    (): Session => ({ ...session, tracks: [trackInside(track, nest, shift)] }),
    [session, track, nest, shift],
  );
  const world: NestWorld = {
    ...{ inner, shift, clock, view },
    snapWithout: (clips) => ({
      grid: settings.grid,
      targets: snapTargets(inner, clock, settings, onsetsOf, clips),
      reach: REACH_PX * view.framesPerPixel,
    }),
  };
  const gesture = useGesture(nestGesture(world), {
    began: (hold) => onChoose(hold?.drag.clip.id ?? null),
    done: ({ label, id, patch }) => onChange(label, id, patch),
  });
  const moving = gesture.shown;
  const draw = (context: CanvasRenderingContext2D, inks: Inks) => {
    drawLanes(
      context,
      {
        ...{ view, clock, hovered, width, height: DRAWER_HEIGHT, rowHeight: DRAWER_HEIGHT },
        session: inner,
        states: new Map([[track.id, "live"]]),
        selected: [],
        chosen: new Set(chosen === null ? [] : [chosen]),
        dragged: new Map(moving ? [[moving.id, moving]] : []),
        rowsDown: 0,
        range: null,
        scrollTop: 0,
      },
      inks,
    );
    context.fillStyle = inks.shade;
    context.globalAlpha = COVER;
    const [from, to] = [xOf(view, shift + nest.offset), xOf(view, shift + nest.offset + nest.frames)];
    context.fillRect(0, 0, Math.max(0, from), DRAWER_HEIGHT);
    context.fillRect(to, 0, Math.max(0, width - to), DRAWER_HEIGHT);
    context.globalAlpha = 1;
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const child = nest.children.find((c) => c.id === chosen);
    const tool = toolOf(event);
    const arrow = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : null;
    if (tool !== null) onTool(tool);
    else if (event.key === "Delete" && child) onRemove(child.id);
    else if (arrow !== null && child) {
      const to = stepped(clock, child.start + shift, arrow);
      onChange(`Move ${child.name || "a clip"}`, child.id, { start: Math.max(0, to - shift) });
    } else if (event.key === "Enter") onOpen(child);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <>
      <Playhead view={view} />
      <Surface
        width={width}
        height={DRAWER_HEIGHT}
        draw={draw}
        tabIndex={0}
        role="img"
        aria-label="What is in the nest. The list beside it says the same in words; arrow keys move the chosen clip."
        style={{ cursor: gesture.held ? "grabbing" : "default" }}
        className="block touch-none"
        onKeyDown={onKeyDown}
        {...gesture.on<HTMLCanvasElement>(undefined, (event) =>
          setHovered(grabIn(world, pointOf(event))?.clip.id ?? null),
        )}
        onPointerLeave={() => setHovered(null)}
        onDoubleClick={(event) => {
          const id = grabIn(world, pointOf(event))?.clip.id;
          onOpen(nest.children.find((c) => c.id === id));
        }}
      />
    </>
  );
}
