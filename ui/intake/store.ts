import { create } from "zustand";
import type { Arrival, Candidate } from "../../contract/intake";
import type { Job, ServiceFault } from "../../contract/job";
import type { RequestOf, ResultOf } from "../../contract/job-kinds";
import { Refused, api } from "../session/api";
import { JobFollower } from "../session/job-follower";
import type { Gathered } from "./gather";

type Sent = RequestOf<"look">["files"][number];

/** What is going on with what arrived. */
export type Stage = "empty" | "sending" | "looking" | "looked" | "taking in";

interface IntakeState {
  readonly stage: Stage;
  /** 0 to 1, of the stage. */
  readonly done: number;
  readonly says: string;
  readonly sent: readonly Sent[];
  readonly arrival: Arrival | null;
  readonly chosen: string | null;
  readonly fault: ServiceFault | null;
  /** Beats to the minute as a person states them; null: as the files say. */
  readonly bpm: number | null;
  /** What came back to the session that it was laid on. */
  readonly answers: ResultOf<"take in">["answers"];
  /** What of the opened file is not in the session, or not as it was there. */
  readonly losses: ResultOf<"take in">["losses"];
  /** The session that it may be laid on. */
  readonly into: { readonly id: string; readonly name: string; readonly frame: number; readonly rate: number } | null;
  /** Begins anew, for a session or for none. */
  begin(into: IntakeState["into"]): void;
  /** Takes more files; what was there before stays. */
  add(files: readonly Gathered[], into?: IntakeState["into"]): Promise<void>;
  choose(candidate: string): void;
  stateTempo(bpm: number | null): void;
  takeIn(
    how: Pick<RequestOf<"take in">, "name" | "into" | "withTempo" | "joinPairs" | "muted">,
  ): Promise<string | null>;
  /** Makes a session of a judged set; answers with it. */
  mend(how: Pick<RequestOf<"mend">, "name" | "judged" | "handOn">): Promise<string | null>;
  cancel(): void;
  clear(): void;
}

const EMPTY = {
  stage: "empty",
  done: 0,
  says: "",
  sent: [],
  arrival: null,
  chosen: null,
  fault: null,
  bpm: null,
  answers: [],
  losses: [],
  into: null,
} as const;

export const useIntake = create<IntakeState>()((set, get) => {
  const follower = new JobFollower();

  const refused = (error: unknown) => {
    if (!(error instanceof Refused)) throw error;
    set({ fault: error.fault, stage: get().arrival ? "looked" : "empty" });
  };

  /** A job when it is done; null where it was given up, or failed, which is shown. */
  const follow = async (begun: Job, turn: number): Promise<Job | null> => {
    const job = await follower.follow(begun, turn, ({ done, stage }) => set({ done, says: stage }));
    if (!job || job.status === "done") return job;
    set({ fault: job.fault, stage: get().arrival ? "looked" : "empty" });
    return null;
  };

  return {
    ...EMPTY,
    begin(into) {
      follower.begin();
      set({ ...EMPTY, into });
    },
    async add(files, into) {
      if (files.length === 0) return;
      const mine = follower.begin();
      set({ stage: "sending", done: 0, says: "sending", fault: null, ...(into ? { into } : {}) });
      try {
        const bytes = files.reduce((n, f) => n + f.file.size, 0) || 1;
        let over = 0;
        for (const { file, path } of files) {
          if (file.size === 0) continue;
          const { upload } = await api.upload(file);
          if (!follower.isCurrent(mine)) return;
          over += file.size;
          set({ sent: [...get().sent, { upload, path }], done: over / bytes, says: `sending ${path}` });
        }
        set({ stage: "looking", done: 0, says: "reading the files" });
        const job = await follow(await api.look(get().sent), mine);
        if (!job) return;
        const { arrival } = job.result as ResultOf<"look">;
        const still = arrival.candidates.some((c) => c.id === get().chosen);
        set({ arrival, stage: "looked", chosen: still ? get().chosen : (arrival.candidates[0]?.id ?? null) });
      } catch (error) {
        refused(error);
      }
    },
    choose: (chosen) => set({ chosen, bpm: null }),
    stateTempo: (bpm) => set({ bpm }),
    async takeIn(how) {
      const { chosen, sent, into, bpm } = get();
      if (chosen === null) return null;
      const mine = follower.begin();
      set({ stage: "taking in", done: 0, says: "", fault: null });
      try {
        const frame = how.into === null ? 0 : (into?.frame ?? 0);
        const job = await follow(await api.takeIn({ ...how, bpm, files: sent, candidate: chosen, frame }), mine);
        if (!job) return null;
        const { session, answers, losses } = job.result as ResultOf<"take in">;
        set({ answers, losses });
        return session;
      } catch (error) {
        refused(error);
        return null;
      }
    },
    async mend(how) {
      const { chosen, sent, bpm } = get();
      if (chosen === null) return null;
      const mine = follower.begin();
      set({ stage: "taking in", done: 0, says: "", fault: null });
      try {
        const job = await follow(await api.mend({ ...how, bpm, files: sent, candidate: chosen }), mine);
        return job ? (job.result as ResultOf<"mend">).session : null;
      } catch (error) {
        refused(error);
        return null;
      }
    },
    cancel() {
      follower.cancel();
      set(get().arrival ? { stage: "looked" } : { ...EMPTY });
    },
    clear() {
      follower.begin();
      set({ ...EMPTY });
    },
  };
});

export const chosenOf = ({ arrival, chosen }: Pick<IntakeState, "arrival" | "chosen">): Candidate | null =>
  arrival?.candidates.find((c) => c.id === chosen) ?? null;
