import { useCallback, useEffect, useState } from "react";
import type { History, Point } from "../../contract/history";
import { Refused, api } from "../session/api";
import { showFault, useSessionParts } from "../session/provider";

const NOTHING: History = { points: [], versions: [] };

/** A session's history, read again after every step; earlier points as they are asked for. */
export function useHistory() {
  const { id, revision } = useSessionParts((s) => ({ id: s.id, revision: s.sync.revision }));
  const [history, setHistory] = useState<History | null>(null);
  const [again, setAgain] = useState(0);
  useEffect(() => {
    let gone = false;
    api.history(id, null).then(
      (read) => {
        if (!gone) setHistory((before) => ({ ...read, points: withEarlier(read.points, before?.points ?? []) }));
      },
      (error: unknown) => {
        if (gone) return;
        if (!(error instanceof Refused)) throw error;
        showFault(error.fault);
      },
    );
    return () => {
      gone = true;
    };
  }, [id, revision, again]);
  const earlier = useCallback(async () => {
    const last = history?.points.at(-1);
    if (!last || last.revision === 0) return;
    const { points } = await api.history(id, last.revision);
    setHistory((now) => ({ ...(now ?? NOTHING), points: [...(now?.points ?? []), ...points] }));
  }, [id, history]);
  const name = useCallback(
    async (point: number, text: string) => {
      try {
        await api.nameVersion(id, point, text);
      } catch (error) {
        if (!(error instanceof Refused)) throw error;
        showFault(error.fault);
      }
      setAgain((n) => n + 1);
    },
    [id],
  );
  return { history: history ?? NOTHING, isRead: history !== null, earlier, name };
}

/** What was read now, and what had been read of before that. */
function withEarlier(now: readonly Point[], before: readonly Point[]): readonly Point[] {
  const last = now.at(-1)?.revision ?? 0;
  return [...now, ...before.filter((p) => p.revision < last)];
}
