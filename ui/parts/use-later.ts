"use client";

import { startTransition, useEffect, useState } from "react";

/** Long enough that hands find an answering page first. */
const LATER_MS = 250;

/** False at first, true a moment after the page answers: for what is not needed to see and use it. */
export function useLater(): boolean {
  const [isLater, setLater] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => startTransition(() => setLater(true)), LATER_MS);
    return () => clearTimeout(timer);
  }, []);
  return isLater;
}
