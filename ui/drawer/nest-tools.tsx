"use client";

import type { KeyboardEvent } from "react";
import { Button } from "../parts/button";

/** Keys of what can be done inside a nest; copying and pasting want Ctrl, as everywhere. */
export type NestTool = "k" | "v" | "q" | "c" | "p";
export interface Tool {
  readonly label: string;
  readonly about: string;
  readonly can: boolean;
  readonly run: () => void;
}
const TOOL_KEYS: Readonly<Record<NestTool, string>> = { k: "K", v: "V", q: "Q", c: "Ctrl+C", p: "Ctrl+V" };

export function NestTools({ tools }: { readonly tools: Readonly<Record<NestTool, Tool>> }) {
  return (
    <div role="group" aria-label="What can be done inside" className="flex flex-wrap gap-1">
      {(Object.keys(TOOL_KEYS) as NestTool[]).map((tool) => (
        <Button
          key={tool}
          kind="plain"
          disabled={!tools[tool].can}
          title={`${tools[tool].about} (${TOOL_KEYS[tool]})`}
          onClick={tools[tool].run}
          className="!min-h-6 !px-1.5 !text-[11.5px]"
        >
          {tools[tool].label}
        </Button>
      ))}
    </div>
  );
}

/** Which tool a key stands for; null: none. */
export function toolOf(event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey">): NestTool | null {
  const key = event.key.toLowerCase();
  if (event.ctrlKey || event.metaKey) return key === "c" ? "c" : key === "v" ? "p" : null;
  return key === "k" || key === "v" || key === "q" ? key : null;
}
