"use client";

import { useState } from "react";
import { isAbsolutePath } from "../../core/formats/paths/url";
import { endingOf, isBeside, sessionKinds } from "../../core/interchange/kinds";
import type { SessionFile } from "../../core/session/document";
import { sessionFileSchema } from "../../core/session/document";
import type { Option } from "../parts/option-list";
import { Button } from "../parts/button";
import { Choice } from "../parts/choice";
import { Editable } from "../parts/editable";
import { Floating } from "../parts/floating";
import { NumberField } from "../parts/number-field";
import { useSessionParts } from "../session/provider";

const KINDS = Object.keys(sessionKinds) as SessionFile["kind"][];

/** Session files of the package: which, and how the session is told in each. */
export function SessionFiles() {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const { sessionFiles } = session.sheet;
  const put = (label: string, files: readonly SessionFile[]) =>
    edit(label, [{ do: "set sheet", patch: { sessionFiles: files.map((f) => ({ ...f })) } }]);
  return (
    <section aria-labelledby="session-files">
      <h2 id="session-files" className="text-lg leading-tight font-semibold">
        Session files
      </h2>
      <p className="text-soft">The session for another program. What a file cannot hold is printed first and listed.</p>
      <ul className="mt-1.5 divide-y divide-rule border-y border-rule">
        {KINDS.map((kind) => {
          const { name, about } = sessionKinds[kind];
          const on = sessionFiles.find((f) => f.kind === kind);
          const order = (files: readonly SessionFile[]) => KINDS.flatMap((k) => files.find((f) => f.kind === k) ?? []);
          return (
            <li key={kind} className="grid grid-cols-[20px_minmax(0,1fr)_auto] items-start gap-x-2 py-1.5">
              <input
                id={`session-file-${kind}`}
                type="checkbox"
                aria-label={name}
                aria-describedby={`session-file-${kind}-about`}
                className="mt-0.5 size-4 accent-[var(--spot)]"
                checked={on !== undefined}
                onChange={(e) =>
                  put(
                    e.target.checked ? `Add ${name} to the package` : `Leave ${name} out of the package`,
                    e.target.checked
                      ? order([...sessionFiles, sessionFileSchema.parse({ kind })])
                      : sessionFiles.filter((f) => f.kind !== kind),
                  )
                }
              />
              <label htmlFor={`session-file-${kind}`} className="min-w-0">
                <b className="font-medium">{name}</b>
                {on && <span className="figure ml-2 text-xs text-soft">{endingOf(on)}</span>}
                <span id={`session-file-${kind}-about`} className="block text-xs leading-snug text-soft">
                  {on ? summaryOf(on) : about}
                </span>
              </label>
              {on && sessionKinds[kind].options.length > 0 && (
                <Floating
                  label={`How the session is told in ${name}`}
                  side="left"
                  width={360}
                  trigger={<Button aria-label={`Options of ${name}`}>Options …</Button>}
                >
                  <Options
                    file={on}
                    onChange={(patch) =>
                      put(
                        `Options of ${name}`,
                        sessionFiles.map((f) => (f.kind === kind ? { ...f, ...patch } : f)),
                      )
                    }
                  />
                </Floating>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** How a session is told, in one line. */
function summaryOf(file: SessionFile): string {
  const { options, about } = sessionKinds[file.kind];
  if (options.length === 0) return about;
  return [
    PRINTS.find((p) => p.value === file.print)?.short,
    file.stereo === "two mono" ? "two mono files a stereo one" : null,
    file.media === "what is played" ? `what is played and ${file.handleSeconds} s around it` : null,
    isBeside(file) ? "audio beside it" : "audio in it",
  ]
    .filter((s) => s !== null && s !== undefined)
    .join(", ");
}

const PRINTS: readonly (Option<SessionFile["print"]> & { readonly short: string })[] = [
  {
    value: "nothing",
    label: "only what it cannot hold",
    short: "clips as they are",
    about: "Recordings stay clips. Instruments, stretched clips, nests and effects on clips are printed.",
  },
  {
    value: "devices",
    label: "tracks with devices, after them",
    short: "devices printed",
    about: "What devices do is in the audio; faders, pans and automation stay to be moved.",
  },
  {
    value: "both",
    label: "devices, with the raw track below",
    short: "devices printed, raw tracks muted below",
    about: "Every printed track sounds; below it, muted, are its own clips.",
  },
  {
    value: "channels",
    label: "every track, through its fader",
    short: "every track printed through its fader",
    about: "Fader, pan, mute and their automation are in the audio: one file a track, all from the beginning.",
  },
];
const DEPTHS = [
  { value: "24", label: "24-bit", about: "What every program reads." },
  { value: "32f", label: "32-bit float", about: "Exactly what was computed; ask the receiver first." },
] as const;
const CURVES = [
  {
    value: "printed",
    label: "printed into the audio",
    about: "Sounds the same; those fades are no longer to be moved.",
  },
  {
    value: "straight",
    label: "straight fades instead",
    about: "They stay fades; what they sound like differs a little.",
  },
] as const;
const MUTED = [
  { value: "left out", label: "left out", about: "The file cannot say that a track is muted, so they are not in it." },
  { value: "sounding", label: "kept, and sounding", about: "They are in it and sound until the receiver mutes them." },
] as const;
const STEREO = [
  { value: "one file", label: "one file of two channels", about: "What most music programs expect." },
  { value: "two mono", label: "two mono files", about: "A left and a right track each, as picture editors expect." },
] as const;
const AUDIO = [
  { value: "inside", label: "in the file", about: "One file that cannot lose its audio." },
  {
    value: "beside",
    label: "in a folder beside it",
    about: "WAVs that can be opened by themselves; keep both together.",
  },
] as const;
const MEDIA = [
  { value: "whole files", label: "whole recordings", about: "The receiver can open every clip up again." },
  {
    value: "what is played",
    label: "what is played",
    about: "Only that, with a margin on either side to fade with.",
  },
] as const;
const PICTURES = ["24", "25", "29.97", "29.97 drop", "30"] as const;

function Options({
  file,
  onChange,
}: {
  readonly file: SessionFile;
  readonly onChange: (patch: Partial<SessionFile>) => void;
}) {
  const { options, carries } = sessionKinds[file.kind];
  const has = (option: keyof SessionFile) => options.includes(option);
  return (
    <div className="grid gap-2.5">
      {has("print") && (
        <Line name="Printed first">
          <Choice
            label="Printed first"
            value={file.print}
            options={PRINTS.filter((p) => p.value !== "both" || carries?.mute)}
            onChange={(print) => onChange({ print })}
          />
        </Line>
      )}
      {has("printDepth") && (
        <Line name="Prints are">
          <Choice
            label="Depth of the prints"
            value={file.printDepth}
            options={DEPTHS}
            onChange={(printDepth) => onChange({ printDepth })}
          />
        </Line>
      )}
      {has("audio") && (
        <Line name="Audio">
          <Choice
            label="Where the audio is"
            value={file.audio}
            options={AUDIO}
            onChange={(audio) => onChange({ audio })}
          />
        </Line>
      )}
      {has("folder") && isBeside(file) && (
        <Line name="Folder">
          <FolderField folder={file.folder} onChange={(folder) => onChange({ folder })} />
        </Line>
      )}
      {has("media") && (
        <Line name="Of recordings">
          <Choice
            label="How much of recordings"
            value={file.media}
            options={MEDIA}
            onChange={(media) => onChange({ media })}
          />
          {file.media === "what is played" && (
            <>
              <NumberField
                label="Seconds around what is played"
                unit="s"
                value={file.handleSeconds}
                min={0}
                max={60}
                digits={1}
                className="h-7 w-14"
                onCommit={(handleSeconds) => onChange({ handleSeconds })}
              />
              <span className="text-xs text-soft">s around</span>
            </>
          )}
        </Line>
      )}
      {has("stereo") && (
        <Line name="Stereo">
          <Choice
            label="Stereo files"
            value={file.stereo}
            options={STEREO}
            onChange={(stereo) => onChange({ stereo })}
          />
        </Line>
      )}
      {has("curvedFades") && (
        <Line name="Curved fades">
          <Choice
            label="Curved fades"
            value={file.curvedFades}
            options={CURVES}
            onChange={(curvedFades) => onChange({ curvedFades })}
          />
        </Line>
      )}
      {has("mutedTracks") && !carries?.mute && (
        <Line name="Muted tracks">
          <Choice
            label="Muted tracks"
            value={file.mutedTracks}
            options={MUTED}
            onChange={(mutedTracks) => onChange({ mutedTracks })}
          />
        </Line>
      )}
      {has("frameRate") && (
        <Line name="Timecode">
          <Choice
            label="Frames of picture a second"
            value={file.frameRate}
            options={PICTURES.map((p) => ({ value: p, label: `${p} a second` }))}
            onChange={(frameRate) => onChange({ frameRate })}
          />
          <span className="text-xs text-soft">from hour</span>
          <NumberField
            label="Hour at which the timeline begins"
            value={file.startPictureFrames / (3600 * Math.round(Number.parseFloat(file.frameRate)))}
            min={0}
            max={23}
            digits={2}
            className="h-7 w-14"
            onCommit={(hour) =>
              onChange({ startPictureFrames: Math.round(hour * 3600 * Math.round(Number.parseFloat(file.frameRate))) })
            }
          />
        </Line>
      )}
    </div>
  );
}

/** The receiver's folder, for programs that look for audio by its whole path. */
function FolderField({ folder, onChange }: { readonly folder: string; readonly onChange: (folder: string) => void }) {
  const [refused, setRefused] = useState("");
  return (
    <>
      <Editable
        label="Folder of the session file at the receiver"
        value={folder}
        placeholder="not known"
        maxLength={500}
        className="h-7 min-w-40 rounded-sm border border-rule bg-lift px-1.5 text-xs"
        onCommit={(path) => {
          const isTaken = path === "" || isAbsolutePath(path);
          setRefused(isTaken ? "" : path);
          if (isTaken) onChange(path);
        }}
      />
      <span role="status" className="text-xs text-soft">
        {refused === ""
          ? "The file names its audio by whole path too, if you know where the receiver keeps it."
          : `"${refused}" is no whole path. Begin with /, a drive such as D:\\ or \\\\server.`}
      </span>
    </>
  );
}

const Line = ({ name, children }: { readonly name: string; readonly children: React.ReactNode }) => (
  <div className="grid grid-cols-[96px_minmax(0,1fr)] items-center gap-2">
    <span className="font-semibold text-soft">{name}</span>
    <span className="flex min-w-0 flex-wrap items-center gap-1.5">{children}</span>
  </div>
);
