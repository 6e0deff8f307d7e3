import { useState } from "react";
import { toast } from "sonner";
import { holdTime, holdTimes, moveMark, withMarks, withPitch } from "../../core/session/bend-edits";
import type { AudioClip, Track } from "../../core/session/document";
import type { PatchOf } from "../../core/session/records";
import { onsetsInClip } from "../../core/session/slice";
import type { Frames } from "../../core/units";
import { sayFirstProblem } from "../../core/words/problems";
import { clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { onsetsNow } from "../timeline/onsets";
import { useBenchSettings } from "../timeline/settings";
import { snapFrame } from "../timeline/snap";
import type { BendHandle } from "./bend-gesture";

/** A clip's time markers and points of pitch, what is chosen of them, and what can be done to them. */
export function useBend(track: Track, clip: AudioClip) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const grid = useBenchSettings((s) => s.grid);
  const [chosen, choose] = useState<BendHandle | null>(null);
  const audio = session.assets.find((a) => a.id === clip.asset)?.frames ?? 0;
  const set = (label: string, patch: PatchOf<"clips">) =>
    edit(`${label} in ${clip.name || "the clip"}`, [{ do: "set", in: "clips", track: track.id, id: clip.id, patch }]);
  const setMarks = (label: string, marks: AudioClip["timeMarks"]) => set(label, { ...withMarks(clip, audio, marks) });
  return {
    ...{ session, audio, grid, chosen, choose, setMarks },
    /** Holds what sounds at a frame of the timeline. */
    hold(frame: Frames) {
      const made = holdTime(clip, audio, frame - clip.start, session.rate);
      if (!made.ok) return void toast.error(sayFirstProblem(made.problems));
      const added = made.value.find((m) => m.to === clip.offset + Math.round(frame - clip.start));
      if (setMarks("Set a time marker", [...made.value]) && added) choose({ what: "mark", at: added.at });
    },
    async holdOnsets() {
      const onsets = await onsetsNow(clip.asset);
      if (onsets === null) return void toast.error("The server cannot be reached: no marker was set.");
      const into = onsetsInClip(clip, onsets, audio).map((f) => f - clip.start);
      const made = holdTimes(clip, audio, into, session.rate);
      if (made.length === clip.timeMarks.length) return void toast("Nothing begins in it that is not held already.");
      setMarks("Hold every beginning", [...made]);
    },
    /** Every marker that is heard goes to the nearest line, as far as it reaches. */
    toGrid() {
      const clock = clockOf(session);
      let now = clip;
      for (let i = 0; i < clip.timeMarks.length; i++) {
        const to = now.timeMarks[i]?.to ?? 0;
        if (to <= clip.offset || to >= clip.offset + clip.frames) continue;
        const frame = snapFrame(clock, clip.start - clip.offset + to, { grid, targets: [], reach: 0 });
        now = { ...now, ...moveMark(now, audio, i, frame - clip.start + clip.offset) };
      }
      setMarks("Time markers to the grid", now.timeMarks);
    },
    levelPitch: () => set("Remove the line of pitch", { pitchLine: [] }),
    moveMark(at: Frames, to: Frames) {
      const index = clip.timeMarks.findIndex((m) => m.at === at);
      if (index >= 0) set("Move a time marker", { ...moveMark(clip, audio, index, to) });
    },
    /** Sets a point of pitch at a place of the recording, in the place of the one at `was`. */
    setPitch(label: string, at: Frames, cents: number, was: Frames | null = null) {
      const rest = was === null ? clip.pitchLine : clip.pitchLine.filter((p) => p.at !== was);
      if (set(label, { pitchLine: [...withPitch(rest, at, cents)] })) choose({ what: "pitch", at });
    },
    remove({ what, at }: BendHandle) {
      choose(null);
      if (what === "pitch")
        return void set("Remove a point of pitch", { pitchLine: clip.pitchLine.filter((p) => p.at !== at) });
      setMarks(
        "Remove a time marker",
        clip.timeMarks.filter((m) => m.at !== at),
      );
    },
  };
}

export type Bend = ReturnType<typeof useBend>;
