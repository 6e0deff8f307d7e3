"use client";

import type { Candidate } from "../../contract/intake";
import { otherTempo } from "../../core/mending/tempo";
import { NumberField } from "../parts/number-field";
import { useIntake } from "./store";

const PLAIN_BPM = 120;

/** The tempo of the files as they state it, to be set by hand. One that changes is left as it is. */
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
          unit="bpm"
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
      {heard !== null &&
        [heard, otherTempo(heard)]
          .filter((value) => value !== (bpm ?? said))
          .map((value) => (
            <button
              key={value}
              type="button"
              title="The audio keeps to this tempo, or to half or twice of it"
              onClick={() => stateTempo(value)}
              className="font-semibold text-spot underline underline-offset-2"
            >
              heard: {Number(value.toFixed(2))}
            </button>
          ))}
    </span>
  );
}
