/** A file on its way in, with the folders it lies in. */
export interface Gathered {
  readonly file: File;
  readonly path: string;
}

/** Endings of what is a session by itself, or may hold one. */
const SESSION_ENDINGS = /\.(aaf|adl|otio|otioz|dawproject|zip)$/i;

/** Whether what was dropped is more than some sounds to be laid on the lanes: a session, a ZIP, a folder. */
export function isSessionDrop(data: DataTransfer): boolean {
  const entries = [...data.items].map((i) => i.webkitGetAsEntry());
  return entries.some((e) => e?.isDirectory) || [...data.files].some((f) => SESSION_ENDINGS.test(f.name));
}

/** Everything that was dropped, folders gone through. Has to be called while the drop is handled. */
export async function filesOfDrop(data: DataTransfer): Promise<readonly Gathered[]> {
  const entries = [...data.items].flatMap((i) => i.webkitGetAsEntry() ?? []);
  if (entries.length === 0) return [...data.files].map((file) => ({ file, path: file.name }));
  return (await Promise.all(entries.map((e) => within(e, "")))).flat();
}

async function within(entry: FileSystemEntry, folder: string): Promise<readonly Gathered[]> {
  const path = `${folder}${entry.name}`;
  if (entry.isFile) {
    const file = await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail));
    return [{ file, path }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: Gathered[] = [];
  // A folder is given out in parts, and is at its end with an empty one.
  for (;;) {
    const part = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
    if (part.length === 0) return found;
    for (const e of part) found.push(...(await within(e, `${path}/`)));
  }
}

/** Asks for files, or for a folder, with the system's own dialog. */
export function choose(what: "files" | "folder", then: (files: readonly Gathered[]) => void): void {
  const input = document.createElement("input");
  input.type = "file";
  input.multiple = true;
  input.webkitdirectory = what === "folder";
  input.addEventListener("change", () =>
    then([...(input.files ?? [])].map((file) => ({ file, path: file.webkitRelativePath || file.name }))),
  );
  input.click();
}
