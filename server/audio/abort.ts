/** The result of a promise, or the signal's reason as soon as it aborts. The work behind the promise goes on. */
export async function untilAborted<T>(coming: Promise<T>, signal: AbortSignal): Promise<T> {
  let abort: () => void = () => undefined;
  const aborted = new Promise<never>((_, reject) => {
    abort = () => reject(signal.reason as Error);
    if (signal.aborted) abort();
    else signal.addEventListener("abort", abort, { once: true });
  });
  // Other callers that wait for the same promise handle its error.
  coming.catch(() => undefined);
  try {
    return await Promise.race([coming, aborted]);
  } finally {
    signal.removeEventListener("abort", abort);
  }
}
