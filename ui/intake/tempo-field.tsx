"use client";

import type { Candidate } from "../../contract/intake";
import { NumberField } from "../parts/number-field";
import { useIntake } from "./store";

const PLAIN_BPM = 120;

/** The tempo of what arrived, as it is stated, to be stated otherwise. One that moves is left as it is. */
export function TempoField({
  candidate,
  heard = null,
}: {
  readonly candidate: Candidate;
  readonly heard?: number | null;
}) {
  const { bpm, stateTempo } = useIntake();
  const { tempo } = candidate;
  if (tempo !== null && tempo.changes > 0)
    return (
      <span>
        {Number(tempo.bpm.toFixed(2))} bpm and {tempo.changes} {tempo.changes === 1 ? "change" : "changes"}, from{" "}
        {tempo.from}
      </span>
    );
  const said = tempo?.bpm ?? null;
  return (
    <span className="inline-flex flex-wrap items-baseline gap-x-1.5">
      <span className="whitespace-nowrap">
        <NumberField
          label="Tempo, beats to the minute"
          value={bpm ?? said ?? PLAIN_BPM}
          min={10}
          max={500}
          digits={2}
          onCommit={(value) => stateTempo(value === said ? null : value)}
          className="h-7 w-16"
        />{" "}
        bpm
      </span>
      <span className="text-soft">
        {bpm !== null ? "as you state it" : tempo ? `from ${tempo.from}` : "stated nowhere, assumed"}
      </span>
      {heard !== null && heard !== (bpm ?? said) && (
        <button
          type="button"
          onClick={() => stateTempo(heard)}
          className="font-semibold text-spot underline underline-offset-2"
        >
          {Number(heard.toFixed(2))}, as it is heard
        </button>
      )}
    </span>
  );
}
