/**
 * Where a render listens. A path tap sums its sources at one point: after their devices, after their own
 * fader, pan and mute (`channel`), or after every group on the way to the mix (`group`). With `returns`, what their
 * sends produce is added, through an instance of each return that hears only them.
 */
export type Tap =
  | { readonly kind: "path"; readonly sources: readonly string[]; readonly at: "devices" | "channel" | "group"; readonly returns: boolean }
  | { readonly kind: "mix"; readonly at: "before its chain" | "after its chain" };
