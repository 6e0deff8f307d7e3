import { toast } from "sonner";
import type { Session } from "../../core/session/document";
import { dragEdit } from "../clips/gestures";
import { printOntoPad } from "../kit/onto-pad";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { useBenchSettings } from "../timeline/settings";
import { atZeroCrossing } from "../timeline/zero-crossing";
import type { LaneDone } from "./lane-gesture";

/** Carries out what a gesture on the lanes comes to. */
export function useLaneDone(shown: Session): (done: LaneDone) => void {
  const { session, select, selectClips, selectRange, edit, take, print } = useSessionParts((s) => ({
    session: s.session,
    select: s.select,
    selectClips: s.selectClips,
    selectRange: s.selectRange,
    edit: s.edit,
    take: s.take,
    print: s.print,
  }));
  const toZero = useBenchSettings((s) => s.atZero);
  /** Trimmed edges go to the nearest crossing of zero, where that is wanted and the audio can be read. */
  const shape = async ({ label, drag, after, free }: Extract<LaneDone, { do: "shape" }>) => {
    const isTrim = drag.grip === "trim start" || drag.grip === "trim end";
    let end = after;
    if (toZero && isTrim && !free)
      try {
        end = await atZeroCrossing(drag.clip, after, shown);
      } catch {
        toast.warning("The edge stays where you let it go: the audio around it could not be read.", {
          description: "Look whether the server still runs, and move the edge again.",
        });
      }
    const made = dragEdit(drag.clip, end, drag.track);
    if (made) edit(label, [made]);
  };
  return (done) => {
    switch (done.do) {
      case "choose":
        selectRange(null);
        return select([...done.tracks]);
      case "choose range":
        selectRange(done.range);
        return selectClips([...done.clips], done.range.tracks);
      case "choose clips":
        return selectClips([...done.clips]);
      case "print onto pad":
        return printOntoPad({ session, print }, done.pad, done.name, done.slip);
      case "take":
        return void take(done.step);
      case "edit":
        if (edit(done.label, done.edits) && done.choose) selectClips([...done.choose]);
        return;
      case "shape":
        return void shape(done);
      case "tell frozen":
        return void toast(
          `${trackName(done.track)} is frozen. Unfreeze it to edit its clips (Shift+F); drag a clip of it to copy its sound onto another track or a pad, with Shift all it plays.`,
        );
      case "tell silent":
        return void toast("Nothing of it is in the frozen audio.");
    }
  };
}
