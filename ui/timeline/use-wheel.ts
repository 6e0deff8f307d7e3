import type { RefObject } from "react";
import { useEffect } from "react";
import { useBenchView } from "./view";

/** Zooms with Ctrl or Command and the wheel, scrolls sideways with Shift and the wheel or a sideways one. */
export function useWheel(element: RefObject<HTMLElement | null>): void {
  useEffect(() => {
    const over = element.current;
    if (!over) return;
    const onWheel = (event: WheelEvent) => {
      const { zoom, scroll } = useBenchView.getState();
      const sideways = event.shiftKey && event.deltaX === 0 ? event.deltaY : event.deltaX;
      if (event.ctrlKey || event.metaKey) zoom(Math.exp(-event.deltaY / 400), event.offsetX);
      else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) scroll(sideways);
      else return;
      event.preventDefault();
    };
    // React listens passively to the wheel: what it does could not be prevented there.
    over.addEventListener("wheel", onWheel, { passive: false });
    return () => over.removeEventListener("wheel", onWheel);
  }, [element]);
}
