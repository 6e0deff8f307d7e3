"use client";

import { usePull } from "../parts/pull";
import { useEffect, useMemo, useRef, useState, type MouseEvent, type PointerEvent, type RefObject } from "react";
import { useRouter } from "next/navigation";
import { toast } from "sonner";
import { clipSpan } from "../../core/session/clips";
import type { Clip } from "../../core/session/document";
import { clipsOf, clipsWithin, heldShift, copyClips, moveClips, rowsFit, shifted } from "../../core/session/move-clips";
import { takesAudio } from "../../core/session/import";
import { ASSET_DRAG } from "../shelf/piece";
import { padAt, printOntoPad } from "../kit/onto-pad";
import { useImport } from "../import/store";
import { filesOfDrop, isSessionDrop } from "../intake/gather";
import { useIntake } from "../intake/store";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import type { SelectedRange } from "../session/store";
import { trackName, trackStates } from "../session/track-state";
import { prepare, useInks, useRedraw } from "../canvas/canvas";
import { INSIDE, useDrawer } from "../drawer/drawer-store";
import { drawLanes } from "../clips/draw-lanes";
import { dragEdit, dragged, grab } from "../clips/gestures";
import { onsetsOf } from "../timeline/onsets";
import { Playhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { useRows } from "../timeline/shown";
import type { Snap } from "../timeline/snap";
import { snapFrame, snapTargets } from "../timeline/snap";
import { frameAt, shownView, useBenchView, xOf } from "../timeline/view";
import { atZeroCrossing } from "../timeline/zero-crossing";
import type { Hold, Shown } from "./hold";
import { LoudnessTrace } from "./loudness-trace";
import { CURSORS, DOES, NOTHING, saysOf } from "./hold";
import { frozenClipStep } from "../../core/session/frozen-copy";
import { importStep } from "../../core/session/import";

/** A press that moves less is no drag. */
const DRAG_PX = 4;
/** How near something has to be dragged to a place to hold on to it. */
const REACH_PX = 7;
/** A session with little in it is shown as if it had this many bars: room to put things. */
const FEWEST_BARS = 16;
interface Props {
  readonly width: number;
  readonly height: number;
  readonly rowHeight: number;
  readonly scroller: RefObject<HTMLDivElement | null>;
  /** The one track that is shown, larger; else all. */
  readonly only?: string;
}

/** All clips of all tracks on one canvas that stays in view while the rows scroll past; or those of one. */
export function Lanes({ width, height, rowHeight, scroller, only }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const rows = useRows();
  const session = useMemo(
    () => (only === undefined ? rows : { ...rows, tracks: rows.tracks.filter((t) => t.id === only) }),
    [rows, only],
  );
  const router = useRouter();
  const { id, whole, selected, selectedClips, selectedRange, select, selectClips, selectRange, edit, take, print } =
    useSessionParts((s) => ({
      id: s.id,
      whole: s.session,
      selected: s.selected,
      selectedClips: s.selectedClips,
      selectedRange: s.selectedRange,
      select: s.select,
      selectClips: s.selectClips,
      selectRange: s.selectRange,
      edit: s.edit,
      take: s.take,
      print: s.print,
    }));
  const bench = useBenchView();
  const settings = useBenchSettings();
  const inksOf = useInks(bench.theme);
  const redraw = useRedraw();
  const [scrollTop, setScrollTop] = useState(0);
  const [hold, setHold] = useState<Hold | null>(null);
  const [shown, setShown] = useState<Shown>(NOTHING);
  const [cursor, setCursor] = useState("default");
  const [hovered, setHovered] = useState<string | null>(null);
  const clock = clockOf(rows);
  const view = shownView(bench);

  useEffect(() => {
    if (only === undefined)
      bench.measure(width, Math.max(clock.end, clock.tempo.toFrames(clock.meter.barToTick(FEWEST_BARS + 1))));
  }, [bench, width, clock, only]);
  useEffect(() => {
    const box = scroller.current;
    if (!box) return;
    const onScroll = () => setScrollTop(box.scrollTop);
    box.addEventListener("scroll", onScroll, { passive: true });
    return () => box.removeEventListener("scroll", onScroll);
  }, [scroller]);
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      if (event.ctrlKey || event.metaKey) {
        event.preventDefault();
        useBenchView.getState().zoom(Math.exp(-event.deltaY / 400), event.offsetX);
      } else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        event.preventDefault();
        useBenchView.getState().scroll(event.shiftKey && event.deltaX === 0 ? event.deltaY : event.deltaX);
      }
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, []);
  useEffect(() => {
    const context = canvas.current && prepare(canvas.current, width, height);
    if (!context) return;
    drawLanes(
      context,
      {
        view,
        session,
        clock,
        states: trackStates(whole),
        selected,
        chosen: new Set(selectedClips.map((c) => c.clip)),
        hovered,
        dragged: shown.clips,
        rowsDown: shown.rows,
        range: shown.range ?? selectedRange,
        scrollTop,
        rowHeight,
        width,
        height,
      },
      inksOf(context),
    );
  }, [
    session,
    whole,
    clock,
    view,
    selected,
    selectedClips,
    selectedRange,
    shown,
    hovered,
    scrollTop,
    rowHeight,
    width,
    height,
    redraw,
    inksOf,
  ]);

  const at = (event: MouseEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    const down = event.clientY - box.top + scrollTop;
    return { row: Math.floor(down / rowHeight), y: down % rowHeight, frame: frameAt(view, event.clientX - box.left) };
  };
  const snapOf = (leaveOut: ReadonlySet<string>): Snap => ({
    grid: settings.grid,
    targets: snapTargets(session, clock, settings, onsetsOf, leaveOut),
    reach: REACH_PX * view.framesPerPixel,
  });
  const rangeTo = (from: Extract<Hold, { what: "range" }>, event: PointerEvent): SelectedRange | null => {
    const to = at(event);
    const snap = event.altKey ? null : from.snap;
    const [a, b] = [snapFrame(clock, from.frame, snap), snapFrame(clock, to.frame, snap)];
    const last = Math.max(0, Math.min(session.tracks.length - 1, to.row));
    const tracks = session.tracks.slice(Math.min(from.row, last), Math.max(from.row, last) + 1).map((t) => t.id);
    return a === b ? null : { from: Math.min(a, b), to: Math.max(a, b), tracks };
  };
  /** The main clip as dragged, and how far all go with it. */
  const carried = (held: Extract<Hold, { what: "clip" }>, event: PointerEvent) => {
    const to = at(event);
    const snap = event.altKey ? null : held.snap;
    const after = dragged(held.drag, session, clock, to.frame, snap, held.y - event.clientY);
    const by = clipSpan(after, clock.tempo).from - clipSpan(held.drag.clip, clock.tempo).from;
    return { after, by, down: held.drag.grip === "move" && only === undefined ? to.row - held.row : 0 };
  };
  /** Where frozen audio would go: an audio track under the pointer, or a new one, and where it would begin. */
  const handedTo = (held: Extract<Hold, { what: "hand out" }>, event: PointerEvent) => {
    const to = at(event);
    const under = session.tracks[to.row];
    const own = held.clip ? clipSpan(held.clip, clock.tempo).from : 0;
    const moved = Math.max(0, own + to.frame - held.frame);
    // Straight down it stays where it sounds.
    const start =
      Math.abs(event.clientX - held.x) < DRAG_PX ? own : snapFrame(clock, moved, event.altKey ? null : held.snap);
    return { target: under && (takesAudio(under) || under.id === held.track.id) ? under : null, start };
  };
  /** Where audio dragged off the lanes would be printed. */
  const padUnder = (held: Hold, event: PointerEvent) =>
    held.what === "hand out" || (held.what === "clip" && held.drag.grip === "move") ? padAt(event) : null;
  const ontoPad = (held: Hold, pad: NonNullable<ReturnType<typeof padAt>>) => {
    if (held.what === "hand out") {
      const { track, clip } = held;
      const span = clip && clipSpan(clip, clock.tempo);
      return printOntoPad({ session: whole, print }, pad, clip?.name || trackName(track), {
        tracks: [track.id],
        // A trimmed copy of what the track plays there.
        ...(span ? { range: { by: "stretch", ...span }, tail: "none", name: clip.name || "{track}" } : {}),
      });
    }
    if (held.what === "clip")
      printOntoPad({ session: whole, print }, pad, namesOfHeld(held), {
        tracks: [...new Set(held.refs.map((r) => r.track))],
        clips: held.refs.map((r) => r.clip),
        range: { by: "own" },
        pieces: held.refs.length > 1 ? "each clip" : "one piece",
        name: "{clip}",
      });
  };
  const namesOfHeld = ({ refs, drag }: Extract<Hold, { what: "clip" }>) =>
    refs.length > 1 ? `${refs.length} clips` : drag.clip.name || "a clip";
  const isDrag = (held: Hold, event: PointerEvent) =>
    Math.hypot(event.clientX - held.x, event.clientY - held.y) >= DRAG_PX;
  const letGo = () => {
    setHold(null);
    setShown(NOTHING);
  };

  const pull = usePull<HTMLCanvasElement>({
    begin(event) {
      const pointer = at(event);
      const track = session.tracks[pointer.row];
      const adding = event.shiftKey || event.ctrlKey || event.metaKey;
      const place = { row: pointer.row, x: event.clientX, y: event.clientY, adding };
      const found = track && grab(session, clock, pointer, view.framesPerPixel, event.ctrlKey || event.metaKey);
      if (!track || !found) {
        setHold({ what: "range", frame: pointer.frame, snap: snapOf(new Set()), ...place });
        return true;
      }
      const ref = { track: track.id, clip: found.clip.id };
      const wasChosen = selectedClips.some((c) => c.clip === ref.clip);
      const refs = wasChosen
        ? [...selectedClips.filter((c) => c.clip !== ref.clip), ref]
        : adding && found.grip === "move"
          ? [...selectedClips, ref]
          : [ref];
      selectClips(refs);
      // A frozen track's clips stay where they are; what it plays can be handed to another track.
      if (track.frozen) {
        const clip = event.shiftKey ? null : found.clip;
        setHold({ what: "hand out", track, clip, snap: snapOf(new Set()), frame: pointer.frame, ...place });
        return true;
      }
      setHold({
        what: "clip",
        drag: found,
        refs: found.grip === "move" ? refs : [ref],
        snap: snapOf(new Set(refs.map((r) => r.clip))),
        wasChosen,
        ...place,
      });
      return true;
    },
    move(event) {
      if (!hold) return;
      if (shown === NOTHING && !isDrag(hold, event)) return;
      if (hold.what === "range") return setShown({ ...NOTHING, range: rangeTo(hold, event) });
      const pad = padUnder(hold, event);
      if (pad) return setShown({ ...NOTHING, says: `printed onto pad ${pad.pad + 1}` });
      if (hold.what === "hand out") {
        const { target, start } = handedTo(hold, event);
        return setShown({
          ...NOTHING,
          says: `the frozen audio of ${hold.clip?.name || trackName(hold.track)} ${target ? `onto ${trackName(target)}` : "onto a new track"}, ${barText(clock, start)}`,
        });
      }
      const { after, by, down } = carried(hold, event);
      if (hold.drag.grip !== "move")
        return setShown({
          ...NOTHING,
          clips: new Map([[after.id, after]]),
          says: saysOf(hold.drag.grip, after, session.rate),
        });
      const clips = clipsOf(rows, hold.refs).map((c) => c.clip);
      const shift = heldShift(clips, by, clock.tempo);
      setShown({
        ...NOTHING,
        clips: new Map(clips.map((c) => [c.id, shifted(c, shift, clock.tempo)])),
        rows: down !== 0 && rowsFit(rows, hold.refs, down) ? down : 0,
        says: `${barText(clock, clipSpan(after, clock.tempo).from)}${event.ctrlKey || event.metaKey ? ", a copy" : ""}`,
      });
    },
    end(event) {
      if (!hold) return;
      // From the event itself: what was shown last may lag behind the pointer.
      const moved = isDrag(hold, event);
      letGo();
      const pad = moved ? padUnder(hold, event) : null;
      if (pad) return ontoPad(hold, pad);
      if (hold.what === "range") {
        const range = moved ? rangeTo(hold, event) : null;
        if (!range) {
          selectRange(null);
          const track = session.tracks[hold.row];
          return select(track ? [track.id] : []);
        }
        selectRange(range);
        return selectClips(
          clipsWithin(session, new Set(range.tracks), range.from, range.to, clock.tempo),
          range.tracks,
        );
      }
      if (hold.what === "hand out") {
        const asset = whole.assets.find((a) => a.id === hold.track.frozen?.asset);
        const { target, start } = handedTo(hold, event);
        if (!moved || target?.id === hold.track.id)
          return void toast(
            `${trackName(hold.track)} is frozen. Unfreeze it to edit its clips (Shift+F); drag a clip of it to copy its sound onto another track or a pad, with Shift all it plays.`,
          );
        const onto = target?.id ?? hold.track.id;
        const newId = () => crypto.randomUUID();
        if (asset && hold.clip) {
          const step = frozenClipStep(whole, { asset, clip: hold.clip, track: onto }, start, clock.tempo, newId);
          if (step) take(step);
          else toast("Nothing of it is in the frozen audio.");
        } else if (asset)
          take({
            ...importStep(whole, [{ asset, timeReference: null }], { by: "frame", frame: start, track: onto }, newId),
            label: `Copy the frozen audio of ${trackName(hold.track)}`,
          });
        return;
      }
      const ref = { track: hold.drag.track, clip: hold.drag.clip.id };
      if (!moved)
        return hold.adding && hold.wasChosen
          ? selectClips(selectedClips.filter((c) => c.clip !== ref.clip))
          : hold.adding
            ? undefined
            : selectClips([ref]);
      const { after, by, down } = carried(hold, event);
      const name = namesOfHeld(hold);
      if (hold.drag.grip === "move") {
        const copies = event.ctrlKey || event.metaKey;
        const made = copies
          ? copyClips(rows, hold.refs, by, down, clock.tempo, () => crypto.randomUUID())
          : moveClips(rows, hold.refs, by, down, clock.tempo);
        if (edit(`${copies ? "Copy" : "Move"} ${name}`, made.edits)) selectClips(made.refs);
        return;
      }
      const { grip, clip, track } = hold.drag;
      const finish = (end: Clip) => {
        const made = dragEdit(clip, end, track);
        if (made) edit(`${DOES[grip]} ${name}`, [made]);
      };
      if (settings.atZero && !event.altKey && (grip === "trim start" || grip === "trim end")) {
        void atZeroCrossing(clip, after, session).then(finish, () => {
          finish(after);
          toast.warning("The edge stays where you let it go: the audio around it could not be read.", {
            description: "Look whether the server still runs, and move the edge again.",
          });
        });
      } else finish(after);
    },
    cancel: letGo,
    hover(event) {
      const under = grab(session, clock, at(event), view.framesPerPixel, event.ctrlKey || event.metaKey);
      setCursor(under ? CURSORS[under.grip] : "default");
      if ((under?.clip.id ?? null) !== hovered) setHovered(under?.clip.id ?? null);
    },
  });
  return (
    <>
      <Playhead view={view} />
      {only === undefined && <LoudnessTrace width={width} rowHeight={rowHeight} />}
      {shown.says && hold && (
        <span className="figure pointer-events-none sticky top-1 left-1 z-20 float-left rounded-sm bg-ink px-1.5 text-[11px] text-paper">
          {shown.says}
        </span>
      )}
      <canvas
        {...(only === undefined ? { "data-lanes": true } : { "data-row": only })}
        data-frames-per-pixel={view.framesPerPixel}
        ref={canvas}
        style={{ width, height, cursor: hold?.what === "clip" && hold.drag.grip === "move" ? "grabbing" : cursor }}
        className="sticky top-0 block touch-none"
        role="img"
        aria-label={`${only === undefined ? "Lanes" : "The row, enlarged"}. The list of clips says the same in words.`}
        onDragOver={(event) => {
          if (event.dataTransfer.types.includes("Files") || event.dataTransfer.types.includes(ASSET_DRAG))
            event.preventDefault();
        }}
        onDrop={(event) => {
          const { row, frame } = at(event);
          const asset = session.assets.find((a) => a.id === event.dataTransfer.getData(ASSET_DRAG));
          if (asset) {
            event.preventDefault();
            const place = {
              by: "frame" as const,
              frame: snapFrame(clock, frame, event.altKey ? null : snapOf(new Set())),
              track: session.tracks[row]?.id ?? null,
            };
            take({
              ...importStep(whole, [{ asset, timeReference: null }], place, () => crypto.randomUUID()),
              label: `Place ${asset.name}`,
            });
            return;
          }
          if (event.dataTransfer.files.length === 0) return;
          event.preventDefault();
          const dropped = snapFrame(clock, frame, event.altKey ? null : snapOf(new Set()));
          if (isSessionDrop(event.dataTransfer)) {
            const into = { id, name: session.name, frame: dropped, rate: session.rate };
            void filesOfDrop(event.dataTransfer).then((files) => useIntake.getState().add(files, into));
            router.push("/intake");
            return;
          }
          useImport.getState().offer([...event.dataTransfer.files], {
            frame: dropped,
            track: session.tracks[row]?.id ?? null,
          });
        }}
        {...pull}
        onDoubleClick={(event) => {
          const found = grab(session, clock, at(event), view.framesPerPixel);
          if (found) useDrawer.getState().show(INSIDE[found.clip.kind]);
        }}
        onPointerLeave={() => setHovered(null)}
      />
      {selectedRange && !shown.range && (
        <span
          role="img"
          aria-label={`Chosen: ${barText(clock, selectedRange.from)} to ${barText(clock, selectedRange.to)} on ${selectedRange.tracks.length} ${selectedRange.tracks.length === 1 ? "track" : "tracks"}`}
          className="sr-only"
          style={{ left: xOf(view, selectedRange.from) }}
        />
      )}
    </>
  );
}
