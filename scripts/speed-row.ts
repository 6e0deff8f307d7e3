import type { BrowserFigure } from "./speed-browser-figure";

/** One comparison: ours over theirs; below 1 we are faster, or smaller. */
type SessionFileMeasure = "write_s" | "export_s" | "proof_s" | "open_s" | "idle_mb" | "export_mb" | "open_mb";

export interface Row {
  readonly work:
    | "mix48"
    | "stems48"
    | "prints40"
    | "freeze"
    | "demo"
    | "hour"
    | "silence"
    | "browser"
    | "edit"
    | "changed"
    | "fix"
    | "fix mix48"
    | "fix stems48"
    | "voices"
    | "formats"
    | `session file ${"aaf" | "dawproject"}`;
  readonly measure:
    "wall" | "cpu" | "peak_mb" | "edit_ms" | "step_bytes" | "open_ms" | SessionFileMeasure | BrowserFigure["measure"];
  readonly ours: number;
  readonly against:
    | "sox"
    | "cp"
    | "ffmpeg"
    | "read"
    | "copy"
    | "one thread"
    | "stems48"
    | "sampler"
    | "minute"
    | "quickest minute"
    | "target"
    | "eight tracks"
    | "all of it"
    | `all of it, edited at ${number} %`
    | "without checkpoints"
    | "WAV";
  readonly theirs: number;
  readonly ratio: number;
}

export function printRow(row: Row): Row {
  console.log(
    `  ${row.measure.padEnd(8)} against ${row.against.padEnd(10)} ${row.ours.toFixed(2).padStart(9)} : ${row.theirs.toFixed(2).padStart(9)}  = ${row.ratio.toFixed(2)}x`,
  );
  return row;
}
