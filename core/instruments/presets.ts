/** A preset by its place: bank and program, counted from 0. */
interface Placed {
  readonly bank: number;
  readonly program: number;
}

export const DRUM_BANK = 128;

/**
 * Which of some presets a program asks for: the one of its bank, else that of the first bank, and of drums the standard
 * kit; null: none of them.
 */
export function presetFor(presets: readonly Placed[], { bank, program }: Placed): number | null {
  const wanted: readonly Placed[] = [
    { bank, program },
    bank === DRUM_BANK ? { bank, program: 0 } : { bank: 0, program },
  ];
  for (const place of wanted) {
    const at = presets.findIndex((p) => p.bank === place.bank && p.program === place.program);
    if (at >= 0) return at;
  }
  return null;
}
