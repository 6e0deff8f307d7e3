import { useDrag } from "@use-gesture/react";
import type { DOMAttributes, PointerEvent } from "react";

/** What a press does that is held while the pointer moves. */
export interface Pull<E extends Element> {
  /** A press of the first button; false: it is nothing to hold. */
  begin(event: PointerEvent<E>): boolean;
  move(event: PointerEvent<E>): void;
  /** Let go. From the event itself: what was shown last may lag behind the pointer. */
  end(event: PointerEvent<E>): void;
  /** Taken away, by the system or another touch: as if nothing had been. */
  cancel(): void;
  /** The pointer moves over it and nothing is pressed. */
  hover?(event: PointerEvent<E>): void;
}

/** Handlers for one of many elements of which one is pulled at a time; `pullOf` says what each does. */
export function usePulls<E extends Element, Which>(
  pullOf: (which: Which) => Pull<E>,
): (which: Which) => DOMAttributes<E> {
  const bind = useDrag<PointerEvent<E>>(
    ({ event, first, last, memo, args: [which] }) => {
      const { begin, move, end, cancel } = pullOf(which as Which);
      // A press that was not taken is none of this hand's business until it ends.
      const held = first ? begin(event) : memo === true;
      if (!held || first) return held;
      if (!last) move(event);
      else if (event.type === "pointerup") end(event);
      else cancel();
      return held;
    },
    // Every press, move and letting go is passed on; what is a drag and what a press is decided by how far it went.
    { pointer: { buttons: 1, keys: false }, threshold: 0, filterTaps: false },
  );
  return (which) => bind(which) as DOMAttributes<E>;
}

/** Handlers for an element that is pressed and pulled; the pointer stays with it until it is let go. */
export function usePull<E extends Element>(pull: Pull<E>): DOMAttributes<E> {
  const handlers = usePulls<E, undefined>(() => pull)(undefined);
  const { hover } = pull;
  if (!hover) return handlers;
  return {
    ...handlers,
    onPointerMove(event) {
      handlers.onPointerMove?.(event);
      if (event.buttons === 0) hover(event);
    },
  };
}
