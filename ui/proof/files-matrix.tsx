"use client";

import type { Mark } from "../../core/proof/judge";
import type { Cell } from "../../core/proof/proof";
import type { Picture, Proof } from "../../core/proof/proof";
import { meterMap } from "../../core/time/meter";
import { tempoMap } from "../../core/time/tempo";

const WAVE_WIDTH = 360;
const WAVE_HEIGHT = 32;

/** What each question is, for those who point at it. */
const ABOUT: Readonly<Record<string, string>> = {
  bytes: "The file's SHA-256, as the manifest promises it",
  length: "In frames: as the manifest says, and as the session has it",
  start: "The time stamp of the first frame",
  content:
    "The largest difference from a fresh render of the session, from the first frame to the last; a whole-number file differs by its last step and its dither",
  offset: "Frames by which the content comes late",
  sound: "The highest sample, in dBFS",
  clipping: "What was lost at full scale; else the true peak",
  tail: "The level of the last ten milliseconds",
};

/** Every delivered file, drawn on the bar grid from the common start, with its answer to every check beside it. */
export function FilesMatrix({ proof }: { readonly proof: Proof }) {
  const { files, verdict, manifest } = proof;
  return (
    <table className="w-full border-collapse">
      <caption className="sr-only">Checks of every delivered file</caption>
      <thead className="sticky top-0 z-10 bg-paper">
        <tr className="eyebrow border-b border-ink text-left">
          <th scope="col" className="py-1.5 pl-5 font-semibold">
            File
          </th>
          <th scope="col" className="font-semibold">
            <Bars proof={proof} />
          </th>
          {verdict.checks.map((c) => (
            <th key={c.id} scope="col" title={ABOUT[c.id]} className="px-1 text-right font-semibold last:pr-5">
              {c.name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {files.map((file, i) => {
          const title = manifest.files.find((f) => f.name === file.name)?.title ?? file.name;
          return (
            <tr key={file.name} className="border-b border-rule even:bg-shade">
              <th
                scope="row"
                className="max-w-[150px] min-w-[120px] truncate py-1 pr-2 pl-5 text-left font-semibold"
                title={file.name}
              >
                {title}
              </th>
              <td className="w-[360px]">
                <Wave picture={file.picture} proof={proof} solid={file.role === "stem"} />
              </td>
              {verdict.checks.map((c) => (
                <MarkCell key={c.id} cell={c.cells[i]} />
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** Right is plain; "look" is framed; wrong is reversed. The mark never rests on colour alone. */
const LOOKS: Record<Mark, string> = {
  right: "",
  look: "border-b-2 border-caution-rule bg-caution-wash px-1 text-caution font-semibold",
  wrong: "bg-wrong px-1 text-paper font-bold",
};
const SIGNS: Record<Mark, string> = { right: "", look: "! ", wrong: "✕ " };
const SAID: Record<Mark, string> = { right: "right", look: "look at this", wrong: "wrong" };

function MarkCell({ cell }: { readonly cell: Cell | undefined }) {
  if (!cell) return <td />;
  return (
    <td className="px-1 text-right last:pr-5">
      <span className={`figure text-[11px] whitespace-nowrap ${LOOKS[cell.mark]}`} title={SAID[cell.mark]}>
        {SIGNS[cell.mark]}
        {cell.text.replace("-", "−")}
        <span className="sr-only"> {SAID[cell.mark]}</span>
      </span>
    </td>
  );
}

/** X positions of bars in a delivered file. */
function barLines({ manifest }: Proof): readonly { readonly bar: number; readonly x: number }[] {
  const { rate, frames, timeReference } = manifest;
  const tempo = tempoMap(manifest.tempo, rate);
  const meter = meterMap(manifest.meter, manifest.leadIn);
  const lines: { bar: number; x: number }[] = [];
  for (let bar = meter.position(tempo.toTicks(timeReference)).bar; ; bar++) {
    const frame = tempo.toFrames(meter.barToTick(bar)) - timeReference;
    if (frame > frames) return lines;
    if (frame >= 0) lines.push({ bar, x: (frame / frames) * WAVE_WIDTH });
  }
}

function Bars({ proof }: { readonly proof: Proof }) {
  const lines = barLines(proof);
  const step = [1, 2, 4, 8, 16, 32, 64, 128].find((s) => (s * WAVE_WIDTH) / Math.max(1, lines.length) >= 34) ?? 256;
  return (
    <svg
      viewBox={`0 0 ${WAVE_WIDTH} 16`}
      width={WAVE_WIDTH}
      height="16"
      className="block"
      role="img"
      aria-label="Bars from the common start"
    >
      {lines
        .filter((l) => (l.bar - 1) % step === 0)
        .map((l) => (
          <g key={l.bar}>
            <line x1={l.x + 0.5} x2={l.x + 0.5} y1="6" y2="16" stroke="var(--ink-faint)" />
            <text x={l.x + 4} y="13" fontSize="10" fill="var(--ink)" className="figure">
              {l.bar}
            </text>
          </g>
        ))}
    </svg>
  );
}

function Wave({
  picture,
  proof,
  solid,
}: {
  readonly picture: Picture;
  readonly proof: Proof;
  readonly solid: boolean;
}) {
  const points = picture.peaks.length / 2;
  const x = (i: number) => ((i / Math.max(1, points - 1)) * WAVE_WIDTH).toFixed(1);
  const middle = WAVE_HEIGHT / 2;
  const y = (v: number) => middle - Math.sign(v) * Math.sqrt(Math.abs(v) / 127) * (middle - 1);
  const top: string[] = [];
  const bottom: string[] = [];
  for (let i = 0; i < points; i++) {
    top.push(`${x(i)} ${(y(picture.peaks[2 * i + 1] ?? 0) - 0.4).toFixed(1)}`);
    bottom.push(`${x(i)} ${(y(picture.peaks[2 * i] ?? 0) + 0.4).toFixed(1)}`);
  }
  const lines = barLines(proof);
  const step = Math.max(1, 2 ** Math.ceil(Math.log2(lines.length / 16)));
  return (
    <svg
      viewBox={`0 0 ${WAVE_WIDTH} ${WAVE_HEIGHT}`}
      width={WAVE_WIDTH}
      height={WAVE_HEIGHT}
      className="block"
      aria-hidden
    >
      {lines
        .filter((l) => (l.bar - 1) % step === 0)
        .map((l) => (
          <line key={l.bar} x1={l.x} x2={l.x} y1="0" y2={WAVE_HEIGHT} stroke="var(--rule)" />
        ))}
      <path
        d={`M${top.join("L")}L${bottom.reverse().join("L")}Z`}
        fill={solid ? "var(--ink)" : "var(--paper-lift)"}
        stroke="var(--ink)"
        strokeWidth={solid ? 0 : 0.9}
      />
      <line x1="0.75" x2="0.75" y1="0" y2={WAVE_HEIGHT} stroke="var(--signal)" strokeWidth="1.5" />
    </svg>
  );
}
