"use client";

import { Dialog, RadioGroup } from "radix-ui";
import { useEffect, useState } from "react";
import { toast } from "sonner";
import type { MidiFile } from "../../core/formats/midi/read";
import { midiStep, plainName, takesAudio } from "../../core/session/import";
import { Button } from "../parts/button";
import { byteText } from "../parts/bytes";
import { usePlaybackStore } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import type { Waiting } from "./store";
import { readScore } from "./read-score";
import { isMidi, useImport } from "./store";

/** What is about to come in, and where it shall stand. */
export function ImportDialog() {
  const { waiting, close } = useImport();
  return (
    <Dialog.Root
      open={waiting !== null}
      onOpenChange={(open) => {
        if (!open) close();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-strip/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 w-[560px] -translate-x-1/2 -translate-y-1/2 rounded-sm border border-ink bg-lift p-6 text-ink shadow-[6px_6px_0_var(--rule)]"
        >
          {waiting && <Offer waiting={waiting} close={close} />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

type Place = "dropped" | "playhead" | "zero" | "time reference";
interface PlaceOption {
  readonly value: Place;
  readonly label: string;
  readonly about: string;
}

/** A MIDI file as read, or why it cannot be. */
type Score = { readonly name: string; readonly midi: MidiFile } | { readonly name: string; readonly why: string };

function noteCount({ parts }: MidiFile): string {
  const count = parts.reduce((n, p) => n + p.notes.length, 0);
  return `${count} ${count === 1 ? "note" : "notes"}`;
}

/** How much a score holds, and what was done to it. */
function Contents({ midi }: { readonly midi: MidiFile }) {
  if (midi.parts.length === 0) return <b className="text-caution">no notes in it</b>;
  return (
    <>
      {midi.parts.length} {midi.parts.length === 1 ? "part" : "parts"}, {noteCount(midi)}
      {midi.remarks.map((remark) => (
        <span key={remark} className="block text-caution">
          {remark}
        </span>
      ))}
    </>
  );
}

/** One after the other: a worker each, and there may be hundreds. */
async function readScores(files: readonly File[]): Promise<readonly Score[]> {
  const scores: Score[] = [];
  for (const file of files.filter(isMidi)) scores.push({ name: file.name, ...(await readScore(file)) });
  return scores;
}

function Offer({ waiting, close }: { readonly waiting: Waiting; readonly close: () => void }) {
  const { session, take, bringIn } = useSessionParts((s) => ({ session: s.session, take: s.take, bringIn: s.bringIn }));
  const playback = usePlaybackStore();
  const [place, setPlace] = useState<Place>(waiting.dropped ? "dropped" : "playhead");
  const [scores, setScores] = useState<readonly Score[] | null>(null);
  const empty = session.tracks.every((t) => t.clips.length === 0);
  const [withTime, setWithTime] = useState(empty);
  const clock = clockOf(session);
  const playhead = Math.round(playback.getState().position());
  const audio = waiting.files.filter((f) => !isMidi(f));
  useEffect(() => {
    let gone = false;
    void readScores(waiting.files).then((read) => {
      if (!gone) setScores(read);
    });
    return () => {
      gone = true;
    };
  }, [waiting]);

  const target = session.tracks.find((t) => t.id === waiting.dropped?.track);
  const onto = target && takesAudio(target) ? target : null;
  const timed = scores?.some((s) => "midi" in s && (s.midi.tempo !== null || s.midi.meter !== null)) ?? false;
  const frame = place === "zero" ? 0 : place === "dropped" && waiting.dropped ? waiting.dropped.frame : playhead;
  const places: readonly PlaceOption[] = [
    ...(waiting.dropped
      ? [
          {
            value: "dropped" as const,
            label: `Where they were let go, bar ${barText(clock, waiting.dropped.frame)}`,
            about: onto
              ? `the first on ${trackName(onto)}, any others on tracks of their own`
              : "each on a track of its own",
          },
        ]
      : []),
    { value: "playhead", label: `At the playhead, bar ${barText(clock, playhead)}`, about: "" },
    { value: "zero", label: "At the very beginning", about: "for files that all start together, as stems do" },
    {
      value: "time reference",
      label: "Where their time stamps say",
      about: "for field recordings and deliveries; those without a stamp stand at the playhead",
    },
  ];
  const importAll = async () => {
    const read = scores ?? (await readScores(waiting.files));
    close();
    let first = withTime;
    for (const score of read) {
      if ("why" in score) toast.error(`${score.name} cannot be imported.`, { description: `${score.why}.` });
      else if (score.midi.parts.length === 0) toast.error(`There are no notes in ${score.name}.`);
      else {
        take(midiStep(session, score.midi, plainName(score.name), frame, first, () => crypto.randomUUID()));
        if (score.midi.remarks.length > 0)
          toast(`${score.name} was changed to fit.`, { description: score.midi.remarks.join(" ") });
        first = false;
      }
    }
    if (audio.length > 0)
      void bringIn(audio, {
        by: place === "time reference" ? "time reference" : "frame",
        frame,
        track: place === "dropped" ? (waiting.dropped?.track ?? null) : null,
      });
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void importAll();
      }}
    >
      <Dialog.Title className="text-2xl font-bold tracking-tight">
        Import {waiting.files.length === 1 ? "a file" : `${waiting.files.length} files`}
      </Dialog.Title>
      <Files files={waiting.files} scores={scores} />
      <Places places={places} place={place} onPlace={setPlace} />
      {timed && (
        <label className="mt-3 flex items-baseline gap-2 border-t border-rule pt-3">
          <input
            type="checkbox"
            className="relative top-[2px] size-4 accent-[var(--spot)]"
            checked={withTime}
            onChange={(e) => setWithTime(e.target.checked)}
          />
          <span>
            <b className="font-medium">Take tempo and meter from the MIDI file</b>
            <span className="block text-xs text-soft">
              {empty
                ? "the session is empty, so nothing moves"
                : "notes and automation that are here already move with it; recordings stay where they are"}
            </span>
          </span>
        </label>
      )}
      {audio.length > 0 && (
        <p className="mt-3 text-xs text-soft">
          Audio at another rate is converted to {session.rate / 1000} kHz. The files themselves are left as they are.
        </p>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={close} className="min-h-8">
          Cancel
        </Button>
        <Button kind="main" type="submit" autoFocus className="min-h-8 px-4">
          Import
        </Button>
      </div>
    </form>
  );
}

interface FilesProps {
  readonly files: readonly File[];
  readonly scores: readonly Score[] | null;
}

function Files({ files, scores }: FilesProps) {
  return (
    <ul aria-label="Files" className="mt-3 max-h-44 overflow-auto border-y border-rule">
      {files.map((f, i) => {
        const score = scores?.find((s) => s.name === f.name);
        return (
          <li key={i} className="flex gap-3 border-b border-rule py-1 last:border-0">
            <span className="min-w-0 flex-1 truncate font-medium">{f.name}</span>
            <span className="text-xs text-soft">
              {!isMidi(f) ? (
                byteText(f.size)
              ) : !score ? (
                "…"
              ) : "why" in score ? (
                <b className="text-wrong">{score.why}</b>
              ) : (
                <Contents midi={score.midi} />
              )}
            </span>
          </li>
        );
      })}
    </ul>
  );
}

interface PlacesProps {
  readonly places: readonly PlaceOption[];
  readonly place: Place;
  readonly onPlace: (place: Place) => void;
}

function Places({ places, place, onPlace }: PlacesProps) {
  return (
    <RadioGroup.Root
      value={place}
      onValueChange={(v) => onPlace(v as Place)}
      aria-label="Where"
      className="mt-4 grid gap-1.5"
    >
      {places.map((p) => (
        <label key={p.value} className="flex min-h-6 items-baseline gap-2">
          <RadioGroup.Item
            value={p.value}
            className="relative top-[3px] grid size-4 shrink-0 place-items-center rounded-full border border-ink bg-paper"
          >
            <RadioGroup.Indicator className="size-2 rounded-full bg-ink" />
          </RadioGroup.Item>
          <span>
            <b className="font-medium">{p.label}</b>
            {p.about && <span className="block text-xs text-soft">{p.about}</span>}
          </span>
        </label>
      ))}
    </RadioGroup.Root>
  );
}
