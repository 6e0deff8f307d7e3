import { isMixName } from "./mix-name";
import { plainName } from "../session/import";
import type { Session, Track } from "../session/document";
import type { Frames } from "../units";

/** A name without its number, its version and what people add when they send something back. */
function core(name: string): string {
  let text = plainName(name).normalize("NFC").toLowerCase();
  for (;;) {
    const shorter = text
      .replace(/^\s*\d+[\s._-]+/, "")
      .replace(/[\s._-]*(v|ver|version|r|rev|revision|take)[\s._-]*\d+$/, "")
      .replace(/[\s._-]*\(\d+\)$/, "")
      .replace(/[\s._-]+(new|revised|final|edit|edited|tuned|mixed|mastered|master|fixed|update|updated)$/, "")
      .trim();
    if (shorter === text || shorter === "") return text;
    text = shorter;
  }
}

/** What is known of a file that was sent, by its package's manifest. */
interface SentFile {
  readonly name: string;
  readonly title: string;
  readonly role: string;
}

/** The file of a package that a file which came back answers, by its name; of mixes the whole. Null: none. */
export function answeredFile<F extends SentFile>(name: string, { files }: { readonly files: readonly F[] }): F | null {
  const wanted = core(name);
  const same = files.find((f) => [f.title, f.name].some((n) => core(n) === wanted));
  if (same) return same;
  return isMixName(name) ? (files.find((f) => f.role === "reference mix") ?? null) : null;
}

/** How a file that came back lies to what was sent. */
export interface Alignment {
  /** It has to be moved by so many frames to lie over what was sent: later above zero. */
  readonly shift: Frames;
  readonly gainDb: number;
  /** How much of it is what was sent, 0 to 1. */
  readonly alike: number;
}

/** Below this it is not said to be the same music. */
const SURE = 0.3;
export const isAligned = (alignment: Alignment | null): alignment is Alignment =>
  alignment !== null && alignment.alike >= SURE;

/** A track of an opened session that answers something: where it stands, muted, and below what. */
export interface Answering {
  readonly at: Frames;
  /** The session's track that was sent; null: the mix. */
  readonly below: string | null;
}

/** The session's track of a title that was sent. */
export const trackOfTitle = (session: Session, title: string): Track | null =>
  session.tracks.find((t) => t.kind !== "mix" && core(t.name) === core(title)) ?? null;
