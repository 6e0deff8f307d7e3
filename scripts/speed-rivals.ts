import type { Session } from "../core/session/document";
import { panGains } from "../core/engine/channel";
import { dbToGain } from "../core/math";

export interface Material {
  readonly session: Session;
  readonly frames: number;
  readonly files: readonly string[];
}

/** The settings of track i: two EQ bands, gain, pan. */
export const settings = (i: number) => ({
  hz1: 120 + 35 * i,
  db1: (i % 9) - 4,
  hz2: 2000 + 150 * i,
  db2: 4 - (i % 7),
  q: 1,
  gainDb: -18 - (i % 6),
  pan: ((i % 11) - 5) / 6,
});

const soxChain = (i: number) => {
  const s = settings(i);
  const [left, right] = panGains(s.pan);
  const gain = dbToGain(s.gainDb);
  return `equalizer ${s.hz1} ${s.q}q ${s.db1} equalizer ${s.hz2} ${s.q}q ${s.db2} remix 1v${(left * gain).toFixed(9)} 2v${(right * gain).toFixed(9)}`;
};

export const soxMix = ({ files }: Material, out: string) =>
  `mkdir -p ${out} && sox -m ${files.map((f, i) => `-v 1 "|sox ${f} -p ${soxChain(i)}"`).join(" ")} -b 24 ${out}/mix.wav`;

/** A loop over the files, one process a file as a person would write it, then measured, mixed and hashed. */
export const soxStems = ({ files }: Material, out: string) =>
  `mkdir -p ${out}\n${files.map((f, i) => `sox ${f} -b 24 ${out}/${i}.wav ${soxChain(i)}; sox ${out}/${i}.wav -n stats 2>/dev/null`).join("\n")}\nsox -m ${files.map((_, i) => `-v 1 ${out}/${i}.wav`).join(" ")} -b 24 ${out}/mix.wav\nsha256sum ${out}/*.wav > ${out}/sums`;

const ffmpegChain = (i: number) => {
  const s = settings(i);
  const [left, right] = panGains(s.pan);
  const gain = dbToGain(s.gainDb);
  return `aformat=sample_fmts=flt,equalizer=f=${s.hz1}:t=q:w=${s.q}:g=${s.db1},equalizer=f=${s.hz2}:t=q:w=${s.q}:g=${s.db2},pan=stereo|c0=${(left * gain).toFixed(9)}*c0|c1=${(right * gain).toFixed(9)}*c1`;
};
const ffmpegInputs = (files: readonly string[]) => files.map((f) => `-i ${f}`).join(" ");

export const ffmpegMix = ({ files }: Material, out: string) =>
  `mkdir -p ${out} && ffmpeg -v error -y ${ffmpegInputs(files)} -filter_complex "${files.map((_, i) => `[${i}]${ffmpegChain(i)}[c${i}]`).join(";")};${files.map((_, i) => `[c${i}]`).join("")}amix=inputs=${files.length}:normalize=0[m]" -map "[m]" -c:a pcm_s24le ${out}/mix.wav`;

export const ffmpegStems = ({ files }: Material, out: string) =>
  `mkdir -p ${out} && ffmpeg -v error -y ${ffmpegInputs(files)} -filter_complex "${files.map((_, i) => `[${i}]${ffmpegChain(i)},ebur128=framelog=verbose,asplit[s${i}][c${i}]`).join(";")};${files.map((_, i) => `[c${i}]`).join("")}amix=inputs=${files.length}:normalize=0[m]" ${files.map((_, i) => `-map "[s${i}]" -c:a pcm_s24le ${out}/${i}.wav`).join(" ")} -map "[m]" -c:a pcm_s24le ${out}/mix.wav && sha256sum ${out}/*.wav > ${out}/sums`;
