import { useMemo, useState } from "react";
import type { Delivery } from "../../contract/link";

const toggled = (set: ReadonlySet<string>, name: string): ReadonlySet<string> => {
  const next = new Set(set);
  if (!next.delete(name)) next.add(name);
  return next;
};

/** Which files of a delivery are heard: the stems, without the mixes, until something is muted or heard alone. */
export function useAudible(files: Delivery["files"]) {
  const [muted, setMuted] = useState<ReadonlySet<string>>(
    () =>
      new Set(files.some((f) => f.role === "stem") ? files.filter((f) => f.role !== "stem").map((f) => f.name) : []),
  );
  const [alone, setAlone] = useState<ReadonlySet<string>>(new Set());
  return useMemo(
    () => ({
      muted,
      alone,
      isHeard: (name: string) => (alone.size > 0 ? alone.has(name) : !muted.has(name)),
      toggleMuted: (name: string) => setMuted(toggled(muted, name)),
      toggleAlone: (name: string) => setAlone(toggled(alone, name)),
    }),
    [muted, alone],
  );
}
