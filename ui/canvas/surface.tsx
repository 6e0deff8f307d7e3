"use client";

import type { ComponentProps } from "react";
import { useEffect, useRef } from "react";
import { useBenchView } from "../timeline/view";
import { prepare, useInks, useRedraw } from "./canvas";
import type { Inks } from "./inks";

interface Props extends Omit<ComponentProps<"canvas">, "width" | "height"> {
  /** CSS pixels. */
  readonly width: number;
  readonly height: number;
  readonly draw: (context: CanvasRenderingContext2D, inks: Inks) => void;
}

/** A canvas at the screen's resolution, drawn again whenever what is around it changes, or a theme or an overview. */
export function Surface({ width, height, draw, style, ...rest }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const inksOf = useInks(useBenchView((s) => s.theme));
  useRedraw();
  useEffect(() => {
    const context = canvas.current && prepare(canvas.current, width, height);
    if (context) draw(context, inksOf(context));
  });
  return <canvas ref={canvas} style={{ width, height, ...style }} {...rest} />;
}
