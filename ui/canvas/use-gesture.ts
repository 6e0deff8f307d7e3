import type { DOMAttributes, MouseEvent, PointerEvent } from "react";
import { useState } from "react";
import { usePulls } from "../parts/pull";
import type { Gesture, Point } from "./gesture";
import { distancePx } from "./gesture";

/** A press that moves less is no drag. */
const DRAG_PX = 4;

export const pointOf = (event: MouseEvent, surface: Element = event.currentTarget): Point => {
  const box = surface.getBoundingClientRect();
  return {
    x: event.clientX - box.left,
    y: event.clientY - box.top,
    page: { x: event.clientX, y: event.clientY },
    free: event.altKey,
    copies: event.ctrlKey || event.metaKey,
    shift: event.shiftKey,
  };
};

interface Options<Held, Done> {
  /** After a press, also one that holds nothing. */
  readonly began?: (held: Held | null) => void;
  readonly done: (done: Done) => void;
  /** The surface that places are counted on, of the element that is pressed; itself where nothing is said. */
  readonly surfaceOf?: (pressed: Element) => Element;
  /** How far a press may move, in pixels. */
  readonly slackPx?: number;
  /** Whether a press goes on to what lies under the element. */
  readonly through?: boolean;
}

interface Gesturing<Held, Shown, Which> {
  readonly held: Held | null;
  /** Null: nothing is held, or it has not been moved yet. */
  readonly shown: Shown | null;
  /** Handlers for one of the elements; `hover`: the pointer moves over it and nothing is pressed. */
  on<E extends Element>(which: Which, hover?: (event: PointerEvent<E>) => void): DOMAttributes<E>;
}

/** Runs a gesture over the events of an element, or of one of many. */
export function useGesture<Held, Shown, Done, Which = undefined>(
  gesture: Gesture<Held, Shown, Done, Which>,
  { began, done, surfaceOf = (pressed) => pressed, slackPx = DRAG_PX, through = true }: Options<Held, Done>,
): Gesturing<Held, Shown, Which> {
  const [state, setState] = useState<{
    readonly held: Held;
    readonly from: Point;
    readonly moved: boolean;
    readonly shown: Shown | null;
  } | null>(null);
  const at = (event: MouseEvent) => pointOf(event, surfaceOf(event.currentTarget));
  const pull = usePulls<Element, Which>((which) => ({
    begin(event) {
      if (!through) event.stopPropagation();
      const from = at(event);
      const held = gesture.begin(from, which);
      began?.(held);
      if (held === null) return false;
      setState({ held, from, moved: false, shown: slackPx === 0 ? gesture.move(held, from) : null });
      return true;
    },
    move(event) {
      if (!state) return;
      const point = at(event);
      if (!state.moved && distancePx(point, state.from) < slackPx) return;
      setState({ ...state, moved: true, shown: gesture.move(state.held, point) });
    },
    // From the event itself: what was shown last may lag behind the pointer.
    end(event) {
      if (!state) return;
      const point = at(event);
      setState(null);
      const moved = state.moved || distancePx(point, state.from) >= Math.max(1, slackPx);
      const made = gesture.end(state.held, point, moved);
      if (made !== null) done(made);
    },
    cancel: () => setState(null),
  }));
  return {
    held: state?.held ?? null,
    shown: state?.shown ?? null,
    on<E extends Element>(which: Which, hover?: (event: PointerEvent<E>) => void) {
      const handlers = pull(which) as DOMAttributes<E>;
      if (!hover) return handlers;
      return {
        ...handlers,
        onPointerMove(event: PointerEvent<E>) {
          handlers.onPointerMove?.(event);
          if (event.buttons === 0) hover(event);
        },
      };
    },
  };
}
