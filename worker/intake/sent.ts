import type { AudioStore } from "../../server/audio/store";
import type { SentFile } from "../candidates/items";

/** Where files that were sent stand on this machine, and what each was called where it came from. */
export const sentFiles = (
  store: AudioStore,
  files: readonly { readonly upload: string; readonly path: string }[],
): Promise<readonly SentFile[]> =>
  Promise.all(files.map(async ({ upload, path }) => ({ stored: await store.uploads.local(upload), path })));
