"use client";

import { X } from "lucide-react";
import { useEffect } from "react";
import { HistoryLeaf } from "./history";
import { Loudness } from "./loudness";
import { Phrases } from "./phrases";
import { Results } from "./results";
import { useSideSheet } from "./store";
import type { Leaf } from "./store";

const LEAVES: Readonly<Record<Leaf, string>> = {
  history: "History",
  results: "Results",
  loudness: "Loudness",
  phrases: "Phrases",
};

/** A sheet at the side of every screen: what was done, what came of it, and how loud it is. */
export function SideSheet() {
  const { leaf, open, close } = useSideSheet();
  useEffect(() => {
    if (leaf === null) return;
    const press = (event: KeyboardEvent) => {
      const { target } = event;
      // Fields and dialogs have an Escape of their own.
      if (event.key !== "Escape" || (target instanceof Element && target.closest("input, [role=dialog]"))) return;
      event.preventDefault();
      close();
    };
    addEventListener("keydown", press, true);
    return () => removeEventListener("keydown", press, true);
  }, [leaf, close]);
  if (leaf === null) return null;
  return (
    <aside
      aria-label={LEAVES[leaf]}
      className="fixed top-[44px] right-0 bottom-0 z-40 grid w-[372px] grid-rows-[auto_minmax(0,1fr)] border-l border-ink bg-lift text-ink shadow-[-4px_0_0_var(--rule)]"
    >
      <header className="flex items-end gap-4 border-b border-ink px-4 pt-3">
        {(["history", "results", "loudness", "phrases"] as const).map((l) => (
          <button
            key={l}
            type="button"
            aria-pressed={l === leaf}
            onClick={() => l !== leaf && open(l)}
            className={`-mb-px border-b-2 pb-1.5 text-[15px] font-semibold ${l === leaf ? "border-ink" : "border-transparent text-soft hover:text-ink"}`}
          >
            {LEAVES[l]}
          </button>
        ))}
        <span className="flex-1" />
        <button
          type="button"
          aria-label="Close"
          title="Close (Esc)"
          onClick={close}
          className="mb-1.5 grid size-7 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
        >
          <X size={15} aria-hidden />
        </button>
      </header>
      {leaf === "history" ? (
        <HistoryLeaf />
      ) : leaf === "results" ? (
        <Results />
      ) : leaf === "loudness" ? (
        <Loudness />
      ) : (
        <Phrases />
      )}
    </aside>
  );
}
