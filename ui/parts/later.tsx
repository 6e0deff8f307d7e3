"use client";

import { useSyncExternalStore, type ComponentType } from "react";
import { toast } from "sonner";

/** Between two attempts to fetch code that could not be fetched, in milliseconds. */
const AGAIN_MS = 2000;
/** Attempts after which a person who waits for the code sees a notice. */
const TOLD_AFTER = 5;

interface LaterPart {
  fetch(): void;
}

const parts: LaterPart[] = [];

/**
 * A component whose code is not among that of the page, which answers sooner without it. It is fetched once the page
 * answers, or when it is wanted before; until it is here, nothing is drawn in its place. Where the server is gone, it
 * is asked for again until it answers.
 */
export function later<Props extends object>(load: () => Promise<ComponentType<Props>>): ComponentType<Props> {
  let code: ComponentType<Props> | null = null;
  let asked = false;
  let failed = 0;
  const waiting = new Set<() => void>();
  const attempt = (): void => {
    load().then(
      (component) => {
        code = component;
        for (const tell of waiting) tell();
      },
      () => {
        failed++;
        if (failed === TOLD_AFTER && waiting.size > 0)
          toast.error("A part of this page could not be fetched.", {
            description: "Your edits are kept.\nReload the page once the server answers.",
            duration: 12_000,
          });
        setTimeout(attempt, AGAIN_MS);
      },
    );
  };
  const fetch = () => {
    if (asked) return;
    asked = true;
    attempt();
  };
  parts.push({ fetch });
  const subscribe = (tell: () => void) => {
    waiting.add(tell);
    fetch();
    return () => waiting.delete(tell);
  };
  return function Later(props: Props) {
    const Code = useSyncExternalStore(
      subscribe,
      () => code,
      () => null,
    );
    return Code && <Code {...props} />;
  };
}

/** Fetches all code of later parts: when the page answers. */
export const fetchLaterParts = (): void => {
  for (const part of parts) part.fetch();
};
