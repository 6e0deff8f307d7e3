"use client";

import { useState, type ReactElement } from "react";
import { isOver } from "../../contract/job-progress";
import { filledIn } from "../../core/chips";
import type { Asset } from "../../core/session/document";
import type { Depth } from "../../core/units";
import { RATES } from "../../core/units";
import { depths, fileFormats, optionsOf } from "../../core/words/settings";
import { Button } from "../parts/button";
import { ChipButtons } from "../parts/chip-buttons";
import { Choice } from "../parts/choice";
import { dayText } from "../parts/dates";
import { Floating } from "../parts/floating";
import { ProgressBar } from "../parts/progress-bar";
import { savedAddress } from "../session/api";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";

const CHANNELS = [
  { value: "as it is", label: "channels as they are" },
  { value: "mono", label: "mono" },
  { value: "stereo", label: "stereo" },
] as const;
const CHIPS = ["name", "session", "tempo", "bar", "date"] as const;
const OWN = "own";

type Format = keyof typeof fileFormats;

/** How the last file was saved: the next one is offered the same. */
let last: { format: Format; depth: Depth; rate: string; channels: (typeof CHANNELS)[number]["value"]; name: string } = {
  format: "wav",
  depth: "24",
  rate: OWN,
  channels: "as it is",
  name: "{name}",
};

/**
 * Saves a piece of audio as a file: format, rate, depth, channels and name are asked for. `from`: frame of the timeline
 * that it begins at, where it lies on one.
 */
export function SaveFile({
  asset,
  from,
  trigger,
}: {
  readonly asset: Asset;
  readonly from?: number;
  readonly trigger: ReactElement;
}) {
  return (
    <Floating label={`Save ${asset.name} as a file`} trigger={trigger} side="top" align="end" width={330}>
      <Form asset={asset} from={from ?? 0} />
    </Floating>
  );
}

function Form({ asset, from }: { readonly asset: Asset; readonly from: number }) {
  const { session, jobs, saveAudio } = useSessionParts((s) => ({
    session: s.session,
    jobs: s.jobs,
    saveAudio: s.saveAudio,
  }));
  const [how, setHow] = useState(last);
  const [job, setJob] = useState<string | null>(null);
  const want = (patch: Partial<typeof last>) => {
    last = { ...how, ...patch };
    // FLAC holds whole numbers.
    if (last.format === "flac" && last.depth === "32f") last = { ...last, depth: "24" };
    setHow(last);
  };
  const clock = clockOf(session);
  const name =
    filledIn(how.name, {
      name: asset.name,
      session: session.name,
      tempo: `${Number(clock.tempo.bpmAt(clock.tempo.toTicks(from)).toFixed(2))} bpm`,
      bar: `bar ${barText(clock, from).split(".")[0] ?? ""}`,
      date: dayText(new Date().toISOString()),
    }) || asset.name;
  const running = job === null ? undefined : jobs[job];
  const save = async () => {
    const { format, depth, channels } = how;
    const rate = RATES.find((r) => String(r) === how.rate) ?? null;
    setJob(await saveAudio({ asset: asset.id, name: name.slice(0, 200), format, rate, depth, channels }));
  };
  return (
    <form
      className="grid gap-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      <h3 className="font-semibold">Save as a file</h3>
      <Choice
        label="Format"
        value={how.format}
        options={optionsOf(fileFormats)}
        onChange={(format) => want({ format })}
      />
      <div className="flex flex-wrap gap-2">
        <Choice
          label="Rate"
          value={how.rate}
          options={[
            { value: OWN, label: `${asset.rate / 1000} kHz, as it is` },
            ...RATES.filter((r) => r !== asset.rate).map((r) => ({ value: String(r), label: `${r / 1000} kHz` })),
          ]}
          onChange={(rate) => want({ rate })}
        />
        {how.format !== "mp3" && (
          <Choice
            label="Depth"
            value={how.depth}
            options={optionsOf(depths, how.format === "flac" ? ["24", "16"] : ["24", "32f", "16"])}
            onChange={(depth) => want({ depth })}
          />
        )}
        <Choice
          label="Channels"
          value={how.channels}
          options={[...CHANNELS]}
          onChange={(channels) => want({ channels })}
        />
      </div>
      <label>
        <span className="eyebrow block">Name</span>
        <input
          value={how.name}
          maxLength={200}
          onChange={(e) => want({ name: e.target.value })}
          className="min-h-8 w-full rounded-sm border border-rule bg-paper px-2 hover:border-ink"
        />
      </label>
      <p className="-mt-1.5 flex flex-wrap gap-x-2.5 text-xs">
        <ChipButtons chips={CHIPS} pattern={how.name} onChange={(n) => want({ name: n })} />
      </p>
      <p className="figure text-xs break-words text-soft">{name}</p>
      {running && !isOver(running.status) ? (
        <ProgressBar label="Saving" done={running.progress.done} className="w-full" />
      ) : (
        <Button kind="main" type="submit" className="min-h-8">
          Save
        </Button>
      )}
      {running?.result?.kind === "save audio" && (
        <p className="text-xs">
          <a href={savedAddress(running.id)} download className="font-semibold text-spot underline">
            {running.result.fileName}
          </a>{" "}
          is made and was handed to the browser. It is kept here for a day.
        </p>
      )}
    </form>
  );
}
