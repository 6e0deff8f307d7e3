/** The theme's colours and textures, as a canvas needs them. */
export interface Inks {
  readonly paper: string;
  readonly shade: string;
  readonly lift: string;
  readonly ink: string;
  readonly soft: string;
  readonly faint: string;
  readonly rule: string;
  readonly spot: string;
  readonly wash: string;
  readonly signal: string;
  readonly caution: string;
  /** Dots: frozen. */
  readonly stipple: CanvasPattern | string;
  /** Diagonal strokes: stale. */
  readonly hatch: CanvasPattern | string;
  /** A dot in every fourth pixel downwards: beats. A tile: dashed lines are slow to draw. */
  readonly dotted: CanvasPattern | string;
  readonly mono: string;
  readonly sans: string;
}

export function readInks(context: CanvasRenderingContext2D): Inks {
  const style = getComputedStyle(document.documentElement);
  const get = (name: string) => style.getPropertyValue(name).trim();
  const ink = get("--ink");
  return {
    paper: get("--paper"),
    shade: get("--paper-shade"),
    lift: get("--paper-lift"),
    ink,
    soft: get("--ink-soft"),
    faint: get("--ink-faint"),
    rule: get("--rule"),
    spot: get("--spot"),
    wash: get("--spot-wash"),
    signal: get("--signal"),
    caution: get("--caution"),
    stipple:
      pattern(context, 8, (c) => {
        c.fillStyle = ink;
        for (const [x, y] of [
          [1.5, 1.5],
          [5.5, 3.5],
          [3.5, 5.5],
          [7.5, 7.5],
        ] as const) {
          c.beginPath();
          c.arc(x, y, 0.8, 0, 7);
          c.fill();
        }
      }) ?? ink,
    hatch:
      pattern(context, 6, (c) => {
        c.strokeStyle = get("--caution");
        c.lineWidth = 1.3;
        for (const shift of [-6, 0, 6]) {
          c.beginPath();
          c.moveTo(shift, 6);
          c.lineTo(shift + 6, 0);
          c.stroke();
        }
      }) ?? get("--caution"),
    dotted:
      pattern(context, 4, (c) => {
        c.fillStyle = get("--rule");
        c.fillRect(0, 0, 4, 1);
      }) ?? get("--rule"),
    mono: '10px "Sometype Mono Variable", monospace',
    sans: '11px "Bricolage Grotesque Variable", sans-serif',
  };
}

/** A tile drawn at the screen's own resolution, so that dots stay round. */
function pattern(
  context: CanvasRenderingContext2D,
  size: number,
  draw: (c: CanvasRenderingContext2D) => void,
): CanvasPattern | null {
  const scale = devicePixelRatio;
  const tile = document.createElement("canvas");
  tile.width = tile.height = Math.round(size * scale);
  const c = tile.getContext("2d");
  if (!c) return null;
  c.scale(scale, scale);
  draw(c);
  const made = context.createPattern(tile, "repeat");
  made?.setTransform(new DOMMatrix().scale(1 / scale));
  return made;
}
