import { useEffect, useState } from "react";
import { toast } from "sonner";
import type { PrintRecord } from "../../contract/print";
import { api } from "../session/api";
import { useSessionParts } from "../session/provider";

const NONE: readonly PrintRecord[] = [];

/** Every print of the session with its lineage; asked for again whenever a print or a check has ended. */
export function usePrints(): readonly PrintRecord[] {
  const { id, jobs } = useSessionParts((s) => ({ id: s.id, jobs: s.jobs }));
  const [prints, setPrints] = useState<readonly PrintRecord[]>(NONE);
  const finished = Object.values(jobs).filter(
    (j) =>
      (j.request.kind === "print" || j.request.kind === "check" || j.request.kind === "refresh") && j.status === "done",
  ).length;
  useEffect(() => {
    let gone = false;
    api.prints(id).then(
      (list) => {
        if (!gone) setPrints(list);
      },
      (error: unknown) => {
        if (!gone)
          toast.error(
            `Where prints came from cannot be shown: ${error instanceof Error ? error.message : "the server does not answer"}`,
          );
      },
    );
    return () => {
      gone = true;
    };
  }, [id, finished]);
  return prints;
}
