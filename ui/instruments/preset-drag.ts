import type { DragEvent } from "react";

/** A preset on its way from the library to a track. */
export interface DraggedPreset {
  readonly file: string;
  readonly preset: number;
  readonly attenuation: 1 | 0.4;
}

const PRESET_DRAG = "application/x-stemzo-preset";

export function dragPreset({ dataTransfer }: DragEvent, preset: DraggedPreset): void {
  dataTransfer.setData(PRESET_DRAG, JSON.stringify(preset));
  dataTransfer.effectAllowed = "copy";
}

export const carriesPreset = ({ dataTransfer }: DragEvent): boolean => dataTransfer.types.includes(PRESET_DRAG);

/** Null: something else was dropped. */
export function droppedPreset({ dataTransfer }: DragEvent): DraggedPreset | null {
  const text = dataTransfer.getData(PRESET_DRAG);
  return text === "" ? null : (JSON.parse(text) as DraggedPreset);
}
