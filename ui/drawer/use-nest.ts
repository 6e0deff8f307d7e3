import { useState } from "react";
import { toast } from "sonner";
import { create } from "zustand";
import { CROSSFADE_S, crossfade, splitClip } from "../../core/session/clip-edits";
import type { AudioClip, NestClip, Track } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import { childrenAfter, nestAt, trackInside, withChildren } from "../../core/session/inside-nest";
import type { Checked } from "../../core/session/problem";
import type { PatchOf } from "../../core/session/records";
import { sayFirstProblem } from "../../core/words/problems";
import { usePlaybackStore } from "../playback/provider";
import { clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import type { NestTool, Tool } from "./nest-tools";

export type Child = AudioClip | NestClip;

/** The clip that was copied out of a nest last, of this page alone. */
const useCopied = create<{ readonly child: Child | null }>()(() => ({ child: null }));

const labelOf = (child: { readonly name: string } | undefined): string => child?.name || "a clip";

/** A nest, or one inside it, with what is chosen there and what can be done to it. */
export function useNest(track: Track, top: NestClip) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const copied = useCopied((s) => s.child);
  const [path, setPath] = useState<readonly string[]>([]);
  const [chosen, choose] = useState<string | null>(null);
  const found = nestAt(top, path);
  const inside = found ? path : [];
  const { nest, shift } = found ?? { nest: top, shift: top.start - top.offset };
  const child = nest.children.find((c) => c.id === chosen) ?? null;
  const put = (label: string, children: readonly Child[]): boolean =>
    edit(`${label} in ${nest.name || "the nest"}`, [
      { do: "set", in: "clips", track: track.id, id: top.id, patch: { children: withChildren(top, inside, children) } },
    ]);
  const add = (label: string, clip: Child) => {
    const id = crypto.randomUUID();
    if (put(label, [...nest.children, { ...clip, id }])) choose(id);
  };
  const go = (to: readonly string[]) => {
    setPath(to);
    choose(null);
  };
  const change = (label: string, id: string, patch: PatchOf<"clips">) =>
    put(
      label,
      nest.children.map((c) => (c.id === id ? ({ ...c, ...patch } as Child) : c)),
    );
  return {
    ...{ session, nest, shift, child, chosen, choose, copied, change, put, add },
    isInside: inside.length > 0,
    out: () => go(inside.slice(0, -1)),
    open: (c: Child | undefined) => {
      if (c?.kind === "nest") go([...inside, c.id]);
    },
    duplicate: (c: Child) => add(`Duplicate ${labelOf(c)}`, { ...c, start: c.start + c.frames }),
    remove: (id: string) => {
      put(
        `Remove ${labelOf(nest.children.find((c) => c.id === id))}`,
        nest.children.filter((c) => c.id !== id),
      );
      choose(null);
    },
  };
}

/** What can be done to the chosen clip of a nest, each with its key. */
export function useNestTools(track: Track, of: ReturnType<typeof useNest>): Readonly<Record<NestTool, Tool>> {
  const { session, nest, shift, child, chosen, choose, copied, change, put, add } = of;
  const playback = usePlaybackStore();
  const playhead = () => Math.round(playback.getState().position());
  const inner = trackInside(track, nest, shift);
  const clip = inner.clips.find((c) => c.id === child?.id);
  /** What is done to clips anywhere, done to those inside. */
  const within = (label: string, made: Checked<readonly Edit[]>, then: string | null = chosen) => {
    if (!made.ok) return void toast.error(sayFirstProblem(made.problems));
    if (put(label, childrenAfter(nest, shift, made.value))) choose(then);
  };
  const mute = child?.muted ? "Unmute" : "Mute";
  return {
    k: {
      label: "Cut",
      about: "Cut at the playhead",
      can: clip !== undefined,
      run: () => {
        const id = crypto.randomUUID();
        const { tempo } = clockOf(session);
        if (clip) within(`Cut ${labelOf(clip)} in two`, splitClip(inner, clip, playhead(), tempo, id), id);
      },
    },
    v: {
      label: "Crossfade",
      about: "Crossfade with the one before",
      can: clip !== undefined,
      run: () => {
        const frames = Math.round(CROSSFADE_S * session.rate);
        if (clip)
          within(`Crossfade into ${labelOf(clip)}`, crossfade({ ...session, tracks: [inner] }, inner, clip, frames));
      },
    },
    q: {
      label: mute,
      about: child?.muted ? "Unmute it" : "Mute it where it lies",
      can: child !== null,
      run: () => child && change(`${mute} ${labelOf(child)}`, child.id, { muted: !child.muted }),
    },
    c: { label: "Copy", about: "Copy it", can: child !== null, run: () => useCopied.setState({ child }) },
    p: {
      label: "Paste",
      about: "Paste at the playhead",
      can: copied !== null,
      run: () => copied && add(`Paste ${labelOf(copied)}`, { ...copied, start: Math.max(0, playhead() - shift) }),
    },
  };
}
