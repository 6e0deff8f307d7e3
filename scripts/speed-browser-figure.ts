/** What is measured in the browser, and what it has to stay under (frames a second: over). */
export interface BrowserFigure {
  readonly measure:
    | "start_ms"
    | "ear_ms"
    | "seek_ms"
    | "seek_between_ms"
    | "load_live"
    | "load_frozen"
    | "stolen_percent"
    | "still_fps"
    | "first_picture_ms"
    | "interactive_ms"
    | "scroll_fps"
    | "zoom_fps"
    | "fader_fps";
  readonly what: string;
  readonly value: number;
  readonly target: number;
}

/** The middle of several measurements, made one after the other. */
export async function median(measure: () => Promise<number>, turns = 5): Promise<number> {
  const all: number[] = [];
  for (let turn = 0; turn < turns; turn++) all.push(await measure());
  return all.sort((a, b) => a - b)[turns >> 1] ?? NaN;
}
