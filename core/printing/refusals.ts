/** Why something cannot be printed, frozen or exported, as data. The sentences are in `core/words/refusals.ts`. */
interface Refusals {
  "no such track": object;
  "track gone": object;
  parked: object;
  "nothing on the track": object;
  "no clips": object;
  "notes before the instrument": object;
  "instrument absent": { readonly instrument: string };
  "real time only": { readonly device: string; readonly track: string };
  "real time on the way": { readonly device: string };
  "only sources freeze": object;
  "mix at its end alone": object;
  "one track between devices": object;
  "device tap at a channel": object;
  "device gone": object;
  "before the instrument": object;
  "devices twice": object;
  "together on one track": object;
  "same track keeps clips": object;
  "other rate on a track": object;
  "two mono on a track": object;
  "no pad with room": object;
  "kit parked with its print": object;
  "too few pads": { readonly files: number; readonly room: number };
  "range ends before it begins": object;
  "nothing in the range": object;
  "nothing to print": object;
  "too long": { readonly hours: number };
  "loop without a range": object;
  "too little before the loop": object;
  "crossfade longer than the loop": object;
  "no such kit": object;
  "pad empty": object;
  "one layer": object;
  "too many layers": { readonly sounds: number; readonly most: number };
  "phrase not placed": object;
  "parameter moves": { readonly parameter: string };
  "phrase before its devices": object;
  "merged pad": object;
  "source replaced": object;
  "source gone": object;
  "not frozen": object;
  "stale freeze": object;
  "frozen audio gone": object;
  "nothing sounds": object;
  "nothing ticked": object;
}

export type Why = { readonly [K in keyof Refusals]: { readonly kind: K } & Refusals[K] }[keyof Refusals];
export type WhyOf<K extends Why["kind"]> = Extract<Why, { readonly kind: K }>;

export interface Refusal {
  /** Name of the track that is refused; null: the slip as a whole. */
  readonly track: string | null;
  readonly why: Why;
}

/** What was planned, or every reason against it. */
export type Planned<T> =
  { readonly ok: true; readonly value: T } | { readonly ok: false; readonly refusals: readonly Refusal[] };

/** One reason against the whole. */
export const refusePrint = (why: Why): { readonly ok: false; readonly refusals: readonly Refusal[] } => ({
  ok: false,
  refusals: [{ track: null, why }],
});
