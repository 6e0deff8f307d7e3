"use client";

import { useEffect, useRef, useState } from "react";
import type { Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import { applyTyped } from "../../core/session/apply";
import type { Frames } from "../../core/units";
import { usePlaybackStore } from "../playback/provider";

/** So much is heard on both sides of an edge. */
const AROUND_S = 0.7;
const LOOK_EVERY_MS = 30;

/** A jump at a print's edge as it is, and as it would be with its fade, each at one press. */
export function HearEdge({
  session,
  asset,
  at,
  edits,
}: {
  readonly session: Session;
  readonly asset: string;
  readonly at: "start" | "end";
  readonly edits: readonly Edit[];
}) {
  const playback = usePlaybackStore();
  const [heard, setHeard] = useState<"as it is" | "mended" | null>(null);
  const watch = useRef<ReturnType<typeof setInterval> | undefined>(undefined);
  const end = () => {
    clearInterval(watch.current);
    watch.current = undefined;
    playback.getState().stop();
    playback.getState().hearInstead(null);
    setHeard(null);
  };
  useEffect(
    () => () => {
      if (watch.current === undefined) return;
      clearInterval(watch.current);
      playback.getState().hearInstead(null);
    },
    [playback],
  );
  const edge = edgeOf(session, asset, at);
  if (edge === null) return null;
  const hear = (how: "as it is" | "mended") => {
    clearInterval(watch.current);
    const made = how === "mended" ? applyTyped(session, { label: "", edits: [...edits] }) : null;
    const { hearInstead, seek, stop, state } = playback.getState();
    if (state !== "stopped") stop();
    hearInstead(made?.ok ? made.value.session : null);
    seek(Math.max(0, edge - Math.round(AROUND_S * session.rate)));
    playback.getState().toggle();
    setHeard(how);
    watch.current = setInterval(() => {
      const { position, state: now } = playback.getState();
      if (now === "playing" && position() > edge + AROUND_S * session.rate) end();
    }, LOOK_EVERY_MS);
  };
  return (
    <span className="mt-1 flex gap-3 text-xs">
      {(["as it is", "mended"] as const).map((how) => (
        <button
          key={how}
          type="button"
          aria-pressed={heard === how}
          onClick={() => (heard === how ? end() : hear(how))}
          className="min-h-6 text-spot hover:underline"
        >
          {heard === how ? "stop" : `hear it ${how}`}
        </button>
      ))}
    </span>
  );
}

/** Frame of the timeline at which an edge of a print stands; null where it is placed nowhere. */
function edgeOf(session: Session, asset: string, at: "start" | "end"): Frames | null {
  for (const track of session.tracks)
    for (const clip of track.clips)
      if (clip.kind === "audio" && clip.asset === asset) return at === "start" ? clip.start : clip.start + clip.frames;
  return null;
}
