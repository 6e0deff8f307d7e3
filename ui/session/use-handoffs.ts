"use client";

import { useEffect, useState } from "react";
import type { Handoff, HandoffSummary } from "../../contract/handoff";
import { Refused, api } from "./api";
import { useSessionParts } from "./provider";

export interface Handoffs {
  /** Newest first; null until they have come. */
  readonly list: readonly HandoffSummary[] | null;
  readonly chosen: Handoff | null;
  readonly fault: string | null;
}

/**
 * The session's finished exports and one of them whole: the asked for, or the newest. Looks again when an export ends.
 */
export function useHandoffs(asked: string | null): Handoffs {
  const { id, jobs } = useSessionParts((s) => ({ id: s.id, jobs: s.jobs }));
  const finished = Object.values(jobs).filter(
    (j) => (j.request.kind === "export" || j.request.kind === "prove") && j.status === "done",
  ).length;
  const [state, setState] = useState<Handoffs>({ list: null, chosen: null, fault: null });
  useEffect(() => {
    let gone = false;
    const look = async () => {
      const list = await api.handoffs(id);
      const wanted = asked ?? list[0]?.id ?? null;
      const chosen = wanted === null ? null : await api.handoff(wanted);
      if (!gone) setState({ list, chosen, fault: null });
    };
    look().catch((error: unknown) => {
      if (!gone)
        setState((before) => ({
          ...before,
          list: before.list ?? [],
          fault:
            error instanceof Refused ? `${error.fault.what} ${error.fault.todo}` : "The exports could not be read.",
        }));
    });
    return () => {
      gone = true;
    };
  }, [id, asked, finished]);
  return state;
}
