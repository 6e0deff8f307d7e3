/** What is known of a format of audio before it is read: how it is called, and how its files begin. */
export interface AudioFormat {
  readonly kind: string;
  readonly name: string;
  /** Endings of its files, with the point. */
  readonly endings: readonly string[];
  /** Whether a file that begins so is one; `text` is the same, a character a byte. */
  begins(head: Uint8Array, text: string): boolean;
}

/** So many bytes are enough to tell what a file is. */
export const HEAD_BYTES = 64;
