const types: Readonly<Record<string, string>> = {
  wav: "audio/wav",
  aif: "audio/aiff",
  flac: "audio/flac",
  mp3: "audio/mpeg",
  mid: "audio/midi",
  pdf: "application/pdf",
  csv: "text/csv; charset=utf-8",
  html: "text/html; charset=utf-8",
};

/** The media type of a file in a package, by how its name ends. */
export const typeOf = (name: string): string =>
  types[name.slice(name.lastIndexOf(".") + 1).toLowerCase()] ?? "application/octet-stream";
