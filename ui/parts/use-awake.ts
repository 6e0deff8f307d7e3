"use client";

import { useEffect, useRef, type RefObject } from "react";

/**
 * Marks an element with `data-awake` once the page answers to hands: what the server sent is shown before it does. The
 * attribute is set past React, which would draw everything below anew for it.
 */
export function useAwake<T extends Element>(): RefObject<T | null> {
  const element = useRef<T>(null);
  useEffect(() => element.current?.setAttribute("data-awake", ""), []);
  return element;
}
