import type { AudioClip, Clip, NestClip, Note, NoteClip, Session, Track } from "./document";
import { isRinging, placedNotes } from "./clips";
import type { Edit } from "./edits";
import type { Checked } from "./problem";
import { refuse } from "./problem";

const NO_FADE = { frames: 0, shape: "linear" } as const;

const namesOf = (clips: readonly Clip[]): readonly string[] => clips.map((c) => c.name || "a clip");

/**
 * Puts clips of audio into one container clip, as they stand; nothing of the sound changes, but that the nest's end
 * cuts off what rings on: `ringing` names those clips. Refused where another clip lies among them.
 */
export function nestClips(
  track: Track,
  ids: readonly string[],
  newId: () => string,
): Checked<{ readonly clip: string; readonly edits: readonly Edit[]; readonly ringing: readonly string[] }> {
  const chosen = track.clips.filter((c): c is AudioClip | NestClip => c.kind !== "notes" && ids.includes(c.id));
  if (chosen.length === 0) return refuse("clips", "only clips of audio go into a nest");
  const start = Math.min(...chosen.map((c) => c.start));
  const end = Math.max(...chosen.map((c) => c.start + c.frames));
  const among = track.clips.find(
    (c) => c.kind !== "notes" && !chosen.includes(c) && c.start < end && c.start + c.frames > start,
  );
  if (among) return refuse("clips", `"${among.name || "Another clip"}" lies among them: choose it, too, or move it`);
  const nest: NestClip = {
    kind: "nest",
    id: newId(),
    name: chosen[0]?.name || "Nest",
    start,
    frames: end - start,
    offset: 0,
    gainDb: 0,
    fadeIn: NO_FADE,
    fadeOut: NO_FADE,
    crossfade: false,
    layered: false,
    muted: false,
    children: chosen.map((c) => ({ ...c, start: c.start - start })),
  };
  const index = Math.min(...chosen.map((c) => track.clips.indexOf(c)));
  return {
    ok: true,
    value: {
      clip: nest.id,
      ringing: namesOf(chosen.filter(isRinging)),
      edits: [
        ...chosen.map((c): Edit => ({ do: "remove", in: "clips", track: track.id, id: c.id })),
        { do: "add", in: "clips", track: track.id, item: { ...nest }, index },
      ],
    },
  };
}

/**
 * Takes what is in a nest out again, where it stands. The nest's gain goes to its clips, and what its window hides is
 * trimmed off; `ringing` names clips that ring on behind the nest's end now. A nest whose fades lie over more than one
 * clip cannot be taken apart without being heard, and is refused.
 */
export function unnestClip(
  track: Track,
  nest: NestClip,
): Checked<{
  readonly clips: readonly string[];
  readonly edits: readonly Edit[];
  readonly ringing: readonly string[];
}> {
  if (nest.fadeIn.frames > 0 || nest.fadeOut.frames > 0 || nest.crossfade || nest.layered)
    return refuse(
      "clip",
      "the nest has fades of its own, or lies over others, which would have no place: take them off first",
    );
  const from = nest.offset;
  const to = nest.offset + nest.frames;
  const taken = new Set(track.clips.map((c) => c.id));
  const out: Clip[] = [];
  for (const child of nest.children) {
    const start = Math.max(child.start, from);
    const end = Math.min(child.start + child.frames, to);
    if (end <= start) continue;
    const [early, late] = [start - child.start, child.start + child.frames - end];
    if ((early > 0 && child.fadeIn.frames > 0) || (late > 0 && child.fadeOut.frames > 0))
      return refuse("clip", `a fade of "${child.name || "a clip"}" lies over the nest's edge`);
    let id = child.id;
    for (let n = 2; taken.has(id); n++) id = `${child.id.slice(0, 58)}-${n}`;
    taken.add(id);
    out.push({
      ...child,
      id,
      start: nest.start + start - from,
      offset: child.offset + early,
      frames: end - start,
      gainDb: Math.max(-144, Math.min(24, child.gainDb + nest.gainDb)),
    });
  }
  const index = track.clips.indexOf(nest);
  return {
    ok: true,
    value: {
      clips: out.map((c) => c.id),
      ringing: namesOf(out.filter(isRinging)),
      edits: [
        { do: "remove", in: "clips", track: track.id, id: nest.id },
        ...out.map((c, i): Edit => ({ do: "add", in: "clips", track: track.id, item: { ...c }, index: index + i })),
      ],
    },
  };
}

/** Several clips of notes become one, with a phrase of its own that plays what they played; no audio. */
export function consolidateNotes(
  session: Session,
  track: Track,
  ids: readonly string[],
  newId: () => string,
): Checked<{ readonly clip: string; readonly edits: readonly Edit[] }> {
  const chosen = track.clips.filter((c): c is NoteClip => c.kind === "notes" && ids.includes(c.id) && !c.muted);
  if (chosen.length === 0) return refuse("clips", "there are no clips of notes that sound among them");
  const start = Math.min(...chosen.map((c) => c.start));
  const end = Math.max(...chosen.map((c) => c.start + c.ticks));
  const notes = chosen
    .flatMap((clip): readonly Note[] => {
      const phrase = session.phrases.find((p) => p.id === clip.phrase);
      return phrase
        ? placedNotes(clip, phrase).map((n) => ({
            tick: n.start - start,
            ticks: n.end - n.start,
            pitch: n.pitch,
            velocity: n.velocity,
          }))
        : [];
    })
    .sort((a, b) => a.tick - b.tick || a.pitch - b.pitch);
  const [phrase, clip] = [newId(), newId()];
  const index = Math.min(...chosen.map((c) => track.clips.indexOf(c)));
  const name = chosen[0]?.name || track.name || "Notes";
  return {
    ok: true,
    value: {
      clip,
      edits: [
        {
          do: "add",
          in: "phrases",
          item: { id: phrase, name, ticks: end - start, notes },
          index: session.phrases.length,
        },
        ...chosen.map((c): Edit => ({ do: "remove", in: "clips", track: track.id, id: c.id })),
        {
          do: "add",
          in: "clips",
          track: track.id,
          item: {
            kind: "notes",
            id: clip,
            name,
            phrase,
            start,
            offset: 0,
            ticks: end - start,
            loop: false,
            muted: false,
          },
          index,
        },
      ],
    },
  };
}
