/**
 * What is taken from outside, at most. Readers of files have bounds of their own beside their code, in counts of what
 * they read; `docs/running.md` tells all that a person may meet.
 */

/** Of a request's JSON, in bytes: of most; of steps; of whole documents. */
export const JSON_BYTES = { usual: 1 << 20, steps: 16 << 20, document: 64 << 20 } as const;
/** A body larger than this is read and checked by a thread: meanwhile others are answered. */
export const LARGE_JSON_BYTES = 1 << 20;
/** How deep a body may be nested: far deeper than any session, and not so deep that reading it runs out of stack. */
export const MOST_DEEP = 300;
/** Of one file that is sent, in bytes: three hours of 64 channels at 96 kHz and 24 bits are less. */
export const UPLOAD_BYTES = 256 * 2 ** 30;
/** Bytes that stay free on the disk, for the database and whatever else lives there. */
export const ROOM_KEPT_BYTES = 512 * 2 ** 20;
