import { create } from "zustand";
import type { ServiceFault } from "../../contract/job";
import type { RequestOf, ResultOf } from "../../contract/job-kinds";
import { Refused, api } from "../session/api";
import { JobFollower } from "../session/job-follower";

type Sent = RequestOf<"judge">["files"];

/** A set of stems that is checked, or was. */
interface CheckState {
  /** Which candidate of which files; null: none is. */
  readonly of: { readonly candidate: string; readonly sent: Sent } | null;
  /** 0 to 1, and what is done; null: nothing is under way. */
  readonly under: { readonly done: number; readonly says: string } | null;
  readonly result: ResultOf<"judge"> | null;
  readonly fault: ServiceFault | null;
  /** Findings that are to stay as they are, by their place in the list. */
  readonly without: ReadonlySet<number>;
  readonly names: ReadonlyMap<string, string>;
  /** Checks a candidate; one that is checked already is not checked again. `mix`: see the job. */
  check(candidate: string, sent: Sent, mix?: string | null): Promise<void>;
  toggle(finding: number): void;
  rename(path: string, name: string): void;
  /** Ends what is under way, and forgets it. */
  drop(): void;
}

const NOTHING = {
  of: null,
  under: null,
  result: null,
  fault: null,
  without: new Set<number>(),
  names: new Map(),
} as const;

export const useCheck = create<CheckState>()((set, get) => {
  const follower = new JobFollower();
  return {
    ...NOTHING,
    async check(candidate, sent, mix = null) {
      const { of } = get();
      if (of?.candidate === candidate && of.sent === sent && mix === null) return;
      follower.cancel();
      const mine = follower.begin();
      set({ ...NOTHING, of: { candidate, sent }, under: { done: 0, says: "reading the set" } });
      try {
        const begun = await api.judge({ files: sent, candidate, mix });
        const job = await follower.follow(begun, mine, ({ done, stage }) => set({ under: { done, says: stage } }));
        if (!job) return;
        const result = job.status === "done" ? (job.result as ResultOf<"judge">) : null;
        set({ under: null, result, fault: job.fault });
      } catch (error) {
        if (!(error instanceof Refused)) throw error;
        if (follower.isCurrent(mine)) set({ under: null, fault: error.fault });
      }
    },
    toggle(finding) {
      const without = new Set(get().without);
      if (!without.delete(finding)) without.add(finding);
      set({ without });
    },
    rename: (path, name) => set({ names: new Map(get().names).set(path, name) }),
    drop() {
      follower.cancel();
      set({ ...NOTHING });
    },
  };
});
