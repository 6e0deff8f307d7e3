import type { Measures } from "../analysis/measure";
import type { Db, Frames } from "../units";
import type { Manifest } from "../delivery/manifest";
import type { Silence } from "../delivery/silence";
import type { Content } from "./content";
import { CONTENT_LIMIT_DB } from "./content";
import type { Residual } from "./residual";

/** What was found in one delivered file when it was read back. */
export interface FileFacts {
  readonly name: string;
  readonly role: Manifest["files"][number]["role"];
  readonly rate: number;
  readonly depth: string;
  readonly channels: number;
  readonly frames: Frames;
  readonly timeReference: Frames | null;
  readonly sha256: string;
  readonly measures: Measures;
  /** Of its content against a fresh render; null when one of the two is silent. */
  readonly offsetFrames: Frames | null;
  /** From end to end against a fresh render; proofs of earlier days have none. */
  readonly content?: Content;
  /** Why a file may be silent. */
  readonly silence?: Silence;
}

export type Mark = "right" | "look" | "wrong";
export interface Cell {
  readonly mark: Mark;
  readonly text: string;
}

/** One question asked of every file. */
export interface Check {
  readonly id: string;
  readonly name: string;
  readonly cells: readonly Cell[];
}

export interface Verdict {
  readonly mark: Mark;
  readonly checks: readonly Check[];
  readonly sum: Cell;
  /** On what lies beside the audio; proofs of earlier days have none. */
  readonly beside?: Cell;
}

/** On whether the stems add up to the mix that they are held against. */
function sumCell({ depth }: Manifest, residual: Residual | null, unsummable: readonly string[]): Cell {
  if (residual === null) return { mark: "right", text: "no mix was asked for" };
  const adds = (residual.peakDb ?? -Infinity) <= RESIDUAL_LIMIT[depth];
  const text = residual.peakDb === null ? "exact: nothing is left" : `${residual.peakDb.toFixed(1)} dBFS peak`;
  return { mark: adds ? "right" : unsummable.length > 0 ? "look" : "wrong", text };
}

/** Peaks a residual may reach: what float arithmetic leaves, and what the dither of a dozen files adds up to. */
export const RESIDUAL_LIMIT: Record<Manifest["depth"], Db> = { "32f": -120, "24": -110, "16": -66 };
/** Less than this is not heard where a peak is held at full scale. */
const LEAST_LOSS_DB: Db = 0.01;
const isSame = ({ residueDb }: Content, { depth }: Manifest): boolean =>
  (residueDb ?? -Infinity) <= CONTENT_LIMIT_DB[depth];
const isQuietlySilent = (f: FileFacts): boolean => f.silence === "nothing placed" && f.measures.peakDb === null;
/** A file still louder than this at its end has lost its tail. */
const CUT_TAIL_DB: Db = -60;

/**
 * Judges a delivery from what was measured on it. `unsummable` are the reasons why the stems need not add up;
 * `besideFaults` is what is not as promised beside the audio.
 */
export function judge(
  manifest: Manifest,
  files: readonly FileFacts[],
  residual: Residual | null,
  unsummable: readonly string[],
  besideFaults: readonly string[],
): Verdict {
  const promised = new Map(manifest.files.map((f) => [f.name, f]));
  const ask = (id: string, name: string, cell: (f: FileFacts) => Cell): Check => ({ id, name, cells: files.map(cell) });
  const same = (ok: boolean, text: string): Cell => ({ mark: ok ? "right" : "wrong", text });
  const db = (value: number | null) => (value === null ? "silent" : `${value.toFixed(1)}`);
  const isMp3 = (f: FileFacts) => promised.get(f.name)?.format === "mp3";
  const checks = [
    ask("bytes", "Hash", (f) => same(f.sha256 === promised.get(f.name)?.sha256, f.sha256.slice(0, 8))),
    ask("rate", "Rate", (f) => same(f.rate === (promised.get(f.name)?.rate ?? manifest.rate), `${f.rate}`)),
    ask("depth", "Depth", (f) => same(isMp3(f) || f.depth === manifest.depth, f.depth)),
    ask("channels", "Channels", (f) => {
      if (promised.get(f.name)?.keepsStereo) return same(f.channels === 2, f.channels === 2 ? "stereo" : "mono");
      if (f.channels !== promised.get(f.name)?.channels) return { mark: "wrong", text: `${f.channels}` };
      return f.channels === 2 && f.measures.mono && f.measures.peakDb !== null
        ? { mark: "look", text: "mono in stereo" }
        : { mark: "right", text: f.channels === 1 ? "mono" : "stereo" };
    }),
    ask("length", "Length", (f) => {
      const said = promised.get(f.name)?.frames ?? manifest.frames;
      const { content } = f;
      const wanted =
        manifest.ends === "trimmed"
          ? isMp3(f)
            ? said
            : Math.max(content?.soundEnd ?? said, 1)
          : (content?.frames ?? (isMp3(f) ? said : manifest.frames));
      return f.frames === said && f.frames === wanted
        ? { mark: "right", text: `${f.frames}` }
        : { mark: "wrong", text: `${f.frames}, not ${f.frames === wanted ? said : wanted}` };
    }),
    ask("start", "Start", (f) =>
      same(f.timeReference === manifest.timeReference, f.timeReference === null ? "no stamp" : `${f.timeReference}`),
    ),
    ask("content", "Content", (f) => {
      const { content } = f;
      // What an MP3 leaves out is meant to be left out: its length and its place are judged.
      if (isMp3(f)) return { mark: "right", text: "MP3" };
      // What the sheet does not know cannot be compared with anything.
      if (!content) return { mark: "wrong", text: "no stem of the sheet" };
      const same = isSame(content, manifest);
      return {
        mark: same ? "right" : "wrong",
        text: same
          ? content.residueDb === null
            ? "exact"
            : `${content.residueDb.toFixed(0)} dB`
          : `${content.residueDb?.toFixed(0) ?? "?"} dB: ${content.cause ?? "it is another"}`,
      };
    }),
    ask("offset", "Offset", (f) =>
      f.offsetFrames === null
        ? { mark: isQuietlySilent(f) ? "right" : "look", text: "silent" }
        : same(f.offsetFrames === 0, `${f.offsetFrames}`),
    ),
    ask("sound", "Peak", (f) => {
      if (f.measures.peakDb !== null) return { mark: "right", text: db(f.measures.peakDb) };
      if (f.silence === "nothing placed") return { mark: "right", text: "nothing placed" };
      if (f.silence === "muted") return { mark: "look", text: "muted" };
      // Silent as the session itself is there: a file to look at. Silent where the session is not, or who knows: a file
      // that lacks its sound.
      return { mark: f.content && isSame(f.content, manifest) ? "look" : "wrong", text: "nothing heard" };
    }),
    ask("clipping", "Clipping", (f) => {
      const { truePeakDb, clippedRuns } = f.measures;
      // A float file holds what goes above full scale.
      if (manifest.depth === "32f")
        return {
          mark: "right",
          text:
            truePeakDb !== null && truePeakDb > 0
              ? `${db(truePeakDb)} dBTP, kept`
              : truePeakDb === null
                ? "none"
                : `${db(truePeakDb)} dBTP`,
        };
      if (f.content && f.content.clippedSamples > 0 && f.content.lostDb > LEAST_LOSS_DB)
        return {
          mark: "wrong",
          text: `${f.content.clippedSamples} samples, up to ${f.content.lostDb.toFixed(1)} dB lost`,
        };
      if (!f.content && clippedRuns > 0) return { mark: "wrong", text: `${clippedRuns} runs` };
      return {
        mark: truePeakDb !== null && truePeakDb > 0 ? "look" : "right",
        text: truePeakDb === null ? "none" : `${db(truePeakDb)} dBTP`,
      };
    }),
    ask("tail", "Tail end", (f) => {
      const cut = f.measures.endDb !== null && f.measures.endDb > CUT_TAIL_DB;
      return {
        mark: cut ? "look" : "right",
        text: f.measures.endDb === null ? "silent" : `${f.measures.endDb.toFixed(0)} dB`,
      };
    }),
  ];
  const sum = sumCell(manifest, residual, unsummable);
  const beside = same(
    besideFaults.length === 0,
    besideFaults.length > 0
      ? besideFaults.join("; ")
      : manifest.papers.length > 0
        ? `${[...manifest.papers.map((d) => d.role), ...manifest.sessionFiles.map((f) => f.name.replace(/^.*\//, ""))].join(", ")} and hashes as promised`
        : "nothing beside the audio",
  );
  const marks = [...checks.flatMap((c) => c.cells.map((cell) => cell.mark)), sum.mark, beside.mark];
  return { mark: marks.includes("wrong") ? "wrong" : marks.includes("look") ? "look" : "right", checks, sum, beside };
}
