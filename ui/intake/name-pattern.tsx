"use client";

import { useState } from "react";
import { SET_CHIPS, namesByPattern } from "../../core/mending/set-names";
import { ChipButtons } from "../parts/chip-buttons";
import { Button } from "../parts/button";
import { useCheck } from "./check-store";

interface Props {
  /** The files that get names, in order, as they are called now. */
  readonly files: readonly { readonly path: string; readonly name: string }[];
  readonly set: string;
  readonly bpm: number | null;
}

/** Names for all files at once, by a pattern; what it would make of the first one is shown before it is done. */
export function NamePattern({ files, set, bpm }: Props) {
  const rename = useCheck((s) => s.rename);
  const [pattern, setPattern] = useState("{number} {name}");
  const made = namesByPattern(
    pattern,
    files.map((f) => f.name),
    { set, bpm },
  );
  return (
    <form
      className="mt-1 flex flex-wrap items-center gap-x-2 gap-y-1 py-1"
      onSubmit={(e) => {
        e.preventDefault();
        files.forEach((f, i) => rename(f.path, made[i] ?? f.name));
      }}
    >
      <label htmlFor="name-pattern" className="text-soft">
        All names as
      </label>
      <input
        id="name-pattern"
        value={pattern}
        maxLength={120}
        onChange={(e) => setPattern(e.target.value)}
        className="h-7 w-52 rounded-sm border border-rule bg-paper px-1.5 hover:border-ink"
      />
      <ChipButtons chips={SET_CHIPS} pattern={pattern} onChange={setPattern} />
      <span className="min-w-0 flex-1 truncate text-right text-soft">
        {made[0]}
        {made.length > 1 && ` … ${made.at(-1) ?? ""}`}
      </span>
      <Button type="submit">Rename all</Button>
    </form>
  );
}
