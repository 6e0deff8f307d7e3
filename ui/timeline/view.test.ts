import { expect, test } from "vitest";
import { frameAt, shownView, useBenchView, xOf } from "./view";

test("zooming keeps what is under the pointer, and zooming out ends at the whole session", () => {
  const view = useBenchView.getState();
  view.measure(1000, 48000 * 60);
  const before = frameAt(shownView(useBenchView.getState()), 400);
  view.zoom(4, 400);
  expect(frameAt(shownView(useBenchView.getState()), 400)).toBeCloseTo(before, 3);
  expect(xOf(shownView(useBenchView.getState()), before)).toBeCloseTo(400, 6);
  view.zoom(1 / 100, 10);
  expect(useBenchView.getState().wanted.framesPerPixel).toBe(0);
});
