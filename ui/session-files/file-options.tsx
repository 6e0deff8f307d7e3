"use client";

import { useState, type ReactNode } from "react";
import { isAbsolutePath } from "../../core/formats/paths/url";
import { isBeside, sessionKinds } from "../../core/interchange/kinds";
import type { SessionFile } from "../../core/session/document";
import { optionsOf, sessionFileSettings } from "../../core/words/settings";
import { Choice } from "../parts/choice";
import { Editable } from "../parts/editable";
import { NumberField } from "../parts/number-field";

interface Props {
  readonly file: SessionFile;
  readonly onChange: (patch: Partial<SessionFile>) => void;
}

type Setting = keyof typeof sessionFileSettings;
/** In this order they are asked for; the folder stands behind where the audio is. */
const SETTINGS = Object.keys(sessionFileSettings) as Setting[];

/** How a session is told in a file: the settings that mean something for its kind. */
export function FileOptions({ file, onChange }: Props) {
  const { options, carries } = sessionKinds[file.kind];
  // A file that can say that a track is muted carries it muted, and can hold raw tracks below the printed ones.
  const isAsked = (setting: Setting) => options.includes(setting) && !(setting === "mutedTracks" && carries?.mute);
  return (
    <div className="grid gap-2.5">
      {SETTINGS.filter(isAsked).map((setting) => (
        <Line key={setting} name={sessionFileSettings[setting].name}>
          <Setting setting={setting} file={file} onChange={onChange} />
        </Line>
      ))}
      {options.includes("folder") && isBeside(file) && (
        <Line name="Folder">
          <FolderField folder={file.folder} onChange={(folder) => onChange({ folder })} />
        </Line>
      )}
    </div>
  );
}

function Setting({ setting, file, onChange }: Props & { readonly setting: Setting }) {
  const { label, values } = sessionFileSettings[setting];
  const offered = optionsOf<string>(values).filter(
    ({ value }) => value !== "both" || sessionKinds[file.kind].carries?.mute,
  );
  return (
    <>
      <Choice
        label={label}
        value={file[setting]}
        options={offered}
        onChange={(value) => onChange({ [setting]: value })}
      />
      {setting === "media" && file.media === "what is played" && <Handles file={file} onChange={onChange} />}
      {setting === "frameRate" && <StartHour file={file} onChange={onChange} />}
    </>
  );
}

const Handles = ({ file, onChange }: Props) => (
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
);

function StartHour({ file, onChange }: Props) {
  const framesAnHour = 3600 * Math.round(Number.parseFloat(file.frameRate));
  return (
    <>
      <span className="text-xs text-soft">from hour</span>
      <NumberField
        label="Hour at which the timeline begins"
        value={file.startPictureFrames / framesAnHour}
        min={0}
        max={23}
        digits={2}
        className="h-7 w-14"
        onCommit={(hour) => onChange({ startPictureFrames: Math.round(hour * framesAnHour) })}
      />
    </>
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

const Line = ({ name, children }: { readonly name: string; readonly children: ReactNode }) => (
  <div className="grid grid-cols-[96px_minmax(0,1fr)] items-center gap-2">
    <span className="font-semibold text-soft">{name}</span>
    <span className="flex min-w-0 flex-wrap items-center gap-1.5">{children}</span>
  </div>
);
