"use client";

import { useRouter } from "next/navigation";
import { useMemo } from "react";
import { toast } from "sonner";
import { usePlaybackStore } from "../playback/provider";
import { useSessionStore } from "../session/provider";
import type { ActionContext } from "./action";

/** What actions work with, on this page. */
export function useActionContext(): ActionContext {
  const session = useSessionStore();
  const playback = usePlaybackStore();
  const router = useRouter();
  return useMemo(
    () => ({
      session,
      playback,
      open: (path) => router.push(path),
      warn: (text) => void toast.error(text),
      tell: (text) => void toast(text),
    }),
    [session, playback, router],
  );
}
