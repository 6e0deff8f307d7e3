import { readdirSync, rmSync, statSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { liveFor, planFreeze } from "../core/printing/freeze";
import { makeAudioClip, makeNoteClip } from "../core/session/build";
import type { Clip, Phrase, Session } from "../core/session/document";
import { tempoMap } from "../core/time/tempo";
import type { Frames } from "../core/units";
import { harbourLamps } from "../demo/harbour-lamps";
import { storeDemoAudio } from "../demo/seed";
import { AudioStore } from "../server/audio/store";
import { checkpointFolder } from "../server/paths";
import type { OutputFile } from "../worker/files/output-file";
import { ThreadPool } from "../worker/threads/threads";
import { CHECKOUT } from "./build";
import { BUNDLE } from "./speed-demo";
import type { Row } from "./speed-row";
import { printRow } from "./speed-row";
import { NO_BEXT } from "./speed-work";

const TURNS = 3;
const PLACES = [0.1, 0.5, 0.9] as const;

const middle = (list: readonly number[]) => [...list].sort((x, y) => x - y)[list.length >> 1] ?? NaN;

/** Bytes of all files in a folder and the folders in it. */
const sizeOf = (folder: string): number =>
  readdirSync(folder, { recursive: true, encoding: "utf8" }).reduce((sum, n) => {
    const stat = statSync(join(folder, n));
    return sum + (stat.isFile() ? stat.size : 0);
  }, 0);

/** The session with one short clip more on a track, at a part of its length. */
function withEdit(session: Session, id: string, part: number, turn: number): Session {
  const track = session.tracks.find((t) => t.id === id);
  const [first] = track?.clips ?? [];
  if (!track || !first) throw new Error(`"${id}" has no clip`);
  const tempo = tempoMap(session.tempo, session.rate);
  const end = Math.max(
    ...session.tracks.flatMap((t) => t.clips.map((c) => (c.kind === "notes" ? 0 : c.start + c.frames))),
  );
  // Every turn is another edit, by more than a tick: the same one would be known.
  const at: Frames = Math.round(end * part) + turn * 997;
  const asset = session.assets.find((a) => a.frames > 4800);
  if (first.kind !== "notes") {
    const clip = makeAudioClip({ id: "fix", asset: asset?.id ?? "", start: at, frames: 2400 });
    return withClip(session, id, clip);
  }
  const pitch = session.phrases.find((p) => p.id === first.phrase)?.notes[0]?.pitch ?? 60;
  const phrase: Phrase = { id: "fix", name: "Fix", ticks: 480, notes: [{ tick: 0, ticks: 240, pitch, velocity: 90 }] };
  const clip = makeNoteClip("fix", phrase, Math.round(tempo.toTicks(at)));
  return withClip({ ...session, phrases: [...session.phrases, phrase] }, id, clip);
}

const withClip = (session: Session, id: string, clip: Clip): Session => ({
  ...session,
  tracks: session.tracks.map((t) => (t.id === id ? { ...t, clips: [...t.clips, clip] } : t)),
});

/**
 * Every track of the demo frozen by one thread: whole without checkpoints, whole with them, and after an edit at three
 * places from the last checkpoint before it, beside a whole render of the same edit. Sums over the tracks; medians.
 */
export async function measureFix(folder: string): Promise<readonly Row[]> {
  const store = new AudioStore(folder, null);
  await store.prepare(true);
  const session = harbourLamps(await storeDemoAudio(store, () => Promise.resolve()));
  const own = session.tracks.filter((t) => (t.kind === "audio" || t.kind === "instrument") && t.clips.length > 0);
  const ids = own.map((t) => t.id);
  const pool = new ThreadPool(pathToFileURL(join(CHECKOUT, BUNDLE, "task.thread.mjs")));
  let audioBytes = 0;
  /** Freezes one track and gives the seconds it took. */
  const freeze = async (of: Session, id: string, lane: boolean): Promise<number> => {
    const plan = planFreeze(of, [id]);
    if (!plan.ok || !plan.value[0]) throw new Error(`"${id}" cannot be frozen`);
    const { tap, to } = plan.value[0];
    const file: OutputFile = {
      ...{ tap, path: store.unfinished(), ditherSeed: null, bext: NO_BEXT, foldMono: true, cut: { from: 0, to } },
      format: { rate: of.rate, channels: 2, depth: "32f" },
      ...(lane ? { order: `freeze ${id}` } : {}),
    };
    const began = performance.now();
    const [made] = await pool.renderEach(
      { kind: "render", session: liveFor(of, [id]), files: [file], from: 0, to, tail: "whole", dataRoot: folder },
      1,
      { signal: new AbortController().signal },
    );
    const seconds = (performance.now() - began) / 1000;
    audioBytes += made?.bytes ?? 0;
    if (lane && made) await store.adopt(file.path, made.sha256);
    else rmSync(file.path, { force: true });
    return seconds;
  };
  const all = async (of: (id: string) => Session, lane: boolean): Promise<number> => {
    let sum = 0;
    for (const id of ids) sum += await freeze(of(id), id, lane);
    return sum;
  };
  const forget = () => rmSync(checkpointFolder(folder), { recursive: true, force: true });
  await all(() => session, false);
  const [plain, taking]: [number[], number[]] = [[], []];
  let kept = 0;
  for (let turn = 0; turn < TURNS; turn++) {
    plain.push(await all(() => session, false));
    forget();
    audioBytes = 0;
    taking.push(await all(() => session, true));
    kept = sizeOf(checkpointFolder(folder));
  }
  console.log(
    `\nfix: every track of the demo frozen by one thread; checkpoints take ${((100 * kept) / audioBytes).toFixed(1)} % of the audio's bytes`,
  );
  const rows = [
    printRow({
      ...{ work: "fix", measure: "wall", against: "without checkpoints" },
      ...{ ours: middle(taking), theirs: middle(plain), ratio: middle(taking) / middle(plain) },
    }),
  ];
  for (const part of PLACES) {
    const [spliced, whole]: [number[], number[]] = [[], []];
    for (let turn = 0; turn < TURNS; turn++) {
      spliced.push(await all((id) => withEdit(session, id, part, turn), true));
      whole.push(await all((id) => withEdit(session, id, part, turn), false));
    }
    rows.push(
      printRow({
        ...{ work: "fix", measure: "wall", against: `all of it, edited at ${100 * part} %` },
        ...{ ours: middle(spliced), theirs: middle(whole), ratio: middle(spliced) / middle(whole) },
      }),
    );
  }
  await pool.close();
  return rows;
}
