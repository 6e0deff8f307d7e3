"use client";

/** Puts what a name can say at its end: one small button for each chip that is not in it yet. */
export function ChipButtons<Chip extends string>({
  chips,
  pattern,
  onChange,
}: {
  readonly chips: readonly Chip[];
  readonly pattern: string;
  readonly onChange: (pattern: string) => void;
}) {
  return chips
    .filter((chip) => !pattern.includes(`{${chip}}`))
    .map((chip) => (
      <button
        key={chip}
        type="button"
        aria-label={`Add ${chip} to the name`}
        onClick={() => onChange(`${pattern} {${chip}}`.trim())}
        className="min-h-6 text-spot hover:underline"
      >
        + {chip}
      </button>
    ));
}
