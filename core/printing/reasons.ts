/**
 * Why a print does not sound as its source, as data: its kind, and the names of what it is about. The sentences
 * are in `core/words/reasons.ts`.
 */
interface Reasons {
  "16 bits": object;
  "24 bits": object;
  "ridden moves": object;
  "real time": object;
  loop: object;
  "parked outside the stretch": { readonly track: string };
  "uncut at the edge": { readonly clip: string; readonly track: string };
  "process begins anew": { readonly clip: string };
  "moves left out": { readonly what: string; readonly track: string };
  "steers others": { readonly track: string; readonly steered: readonly string[] };
  "steers from after its fader": { readonly track: string; readonly steered: readonly string[] };
  "in both prints": { readonly track: string; readonly group: string };
  "in its group already": { readonly track: string; readonly group: string };
  "not chosen, parked": { readonly track: string };
  "not chosen, overlapping": { readonly track: string };
  "lies over what is not chosen": { readonly track: string };
  "crossfades in one piece": { readonly track: string };
  "pieces through a device": { readonly track: string; readonly device: string };
  "pieces moved apart": object;
  "rings into the next clip": { readonly track: string };
  "clips on top of one another": { readonly track: string };
  "devices twice": { readonly track: string };
  "a member steers": { readonly member: string; readonly group: string; readonly steered: readonly string[] };
  "send before the fader": { readonly track: string };
  "sends along the way": object;
  "groups hear all": { readonly groups: readonly string[] };
  "a group steers": object;
  "returns another way": object;
  "returns hear all": object;
  "faders after the tap": object;
  "different groups": object;
  "sends of the tracks": object;
  "rings over the edges": object;
  "no tail": object;
  mono: object;
  "rings before the beginning": object;
  "only the hardest strike": object;
  "tuned kit": object;
  "steered elsewhere": { readonly device: string; readonly track: string };
  wanders: { readonly device: string; readonly track: string };
  "follows the tempo": { readonly device: string; readonly track: string };
  "hears all at once": { readonly device: string; readonly track: string };
  "tempo moves the notes": { readonly clip: string };
}

export type Reason = { readonly [K in keyof Reasons]: { readonly kind: K } & Reasons[K] }[keyof Reasons];
export type ReasonOf<K extends Reason["kind"]> = Extract<Reason, { readonly kind: K }>;

/** What a plan knows beforehand of how the session sounds with the print in its source's place. */
export interface Sameness {
  /**
   * Whether the print takes its source's place at all. Else the session sounds as it did: the print is muted beside its
   * source, on the shelf, or waits on a pad.
   */
  readonly heard: boolean;
  /** Why the session does not sound the same; null: it does, to -120 dBFS. */
  readonly differs: Reason | null;
  /** Whether it is known before anything is rendered: else it may turn out the same, which is measured. */
  readonly certain: boolean;
}
