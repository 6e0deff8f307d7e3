/** An SVG path through the height `y` at every second pixel between two. */
export function pathOf(from: number, to: number, y: (px: number) => number): string {
  let line = "";
  for (let px = from; px <= to; px += 2) line += `${line === "" ? "M" : "L"}${px.toFixed(1)} ${y(px).toFixed(1)}`;
  return line;
}
