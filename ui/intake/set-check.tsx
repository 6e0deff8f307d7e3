"use client";

import { useEffect } from "react";
import type { Candidate } from "../../contract/intake";
import type { ResultOf } from "../../contract/job-kinds";
import { mendOf } from "../../core/mending/choice";
import type { SetFinding } from "../../core/mending/set";
import { depthName } from "../../core/units";
import { sayFinding } from "../../core/words/mending";
import { formatDb } from "../../core/words/numbers";
import { Choice } from "../parts/choice";
import { itemMenu, type ItemEntry } from "../parts/item-menu";
import { ProgressBar } from "../parts/progress-bar";
import { useCheck } from "./check-store";
import { Fault } from "./fault";
import { NamePattern } from "./name-pattern";
import { useIntake } from "./store";
import { TempoField } from "./tempo-field";
import { shortClock } from "./words";

const HEADINGS = { wrong: "Wrong", look: "Worth a look", know: "Good to know" } as const;
const fileName = (path: string) => path.replace(/^.*\//, "");

/** Whether the files of a candidate can be judged as a set of stems. */
export const isSet = ({ kind, tracks }: Candidate): boolean =>
  (kind === "files" || kind === "package") && tracks.filter((t) => t.kind === "audio" && t.clips > 0).length > 1;

/** What is wrong with a set of stems, file by file, and what is done about each of it. */
export function SetCheck({ candidate }: { readonly candidate: Candidate }) {
  const sent = useIntake((s) => s.sent);
  const { under, result, fault, check } = useCheck();
  useEffect(() => void check(candidate.id, sent), [check, candidate.id, sent]);
  if (fault) return <Fault {...fault} />;
  if (!result)
    return (
      <div className="max-w-xl">
        <p className="text-lg font-semibold">Comparing the files with each other</p>
        <p className="text-soft">{under?.says ?? "waiting"}</p>
        <ProgressBar label="Checking the set" done={under?.done ?? 0} className="mt-2 w-full" />
      </div>
    );
  return <Judged result={result} candidate={candidate} />;
}

interface JudgedProps {
  readonly result: ResultOf<"judge">;
  readonly candidate: Candidate;
}

function Judged({ result: { judged, files }, candidate }: JudgedProps) {
  const { findings, rate } = judged;
  const wrong = findings.filter((f) => f.weight === "wrong").length;
  const look = findings.filter((f) => f.weight === "look").length;
  return (
    <div>
      <h2 className={`text-2xl leading-tight font-semibold tracking-tight ${wrong > 0 ? "text-wrong" : ""}`}>
        {wrong > 0
          ? `${wrong} ${wrong === 1 ? "thing is" : "things are"} wrong`
          : look > 0
            ? "Nothing is wrong"
            : "The set is sound"}
      </h2>
      <p className="mt-0.5 text-soft">{summaryOf(judged, files.length)}</p>
      {(["wrong", "look", "know"] as const).map((weight) => {
        const of = findings.flatMap((f, i) => (f.weight === weight ? [[f, i] as const] : []));
        if (of.length === 0) return null;
        return (
          <section key={weight} className="mt-4">
            <h3 className={`eyebrow ${weight === "wrong" ? "text-wrong" : ""}`}>{HEADINGS[weight]}</h3>
            <ul className="mt-1 divide-y divide-rule border-y border-rule">
              {of.map(([finding, i]) => (
                <Finding key={i} finding={finding} place={i} rate={rate} />
              ))}
            </ul>
          </section>
        );
      })}
      <Files judged={judged} files={files} candidate={candidate} />
    </div>
  );
}

function summaryOf(judged: ResultOf<"judge">["judged"], files: number): string {
  const { mix, residualDb, rate, depth, frames } = judged;
  const held =
    mix === null
      ? "held against each other"
      : residualDb === null
        ? `add up to ${fileName(mix)} to the last bit`
        : `held against ${fileName(mix)}; repaired, ${formatDb(residualDb)} dBFS of it are left`;
  return `${files} files, ${rate / 1000} kHz, ${depthName(depth)}, ${shortClock(frames / rate)}, ${held}`;
}

function Finding({
  finding,
  place,
  rate,
}: {
  readonly finding: SetFinding;
  readonly place: number;
  readonly rate: number;
}) {
  const { without, toggle } = useCheck();
  const { what, means, fix } = sayFinding(finding, rate);
  const file = "file" in finding ? fileName(finding.file) : "The set";
  const chosen = mendOf(finding) !== null;
  const entries = (): readonly ItemEntry[] =>
    fix === "" || !chosen
      ? []
      : [
          {
            label: without.has(place) ? "Repair this" : "Leave this as it is",
            run: () => toggle(place),
          },
        ];
  return (
    <li
      {...itemMenu(`Finding in ${file}`, entries)}
      className="grid grid-cols-[168px_minmax(0,1fr)_minmax(0,240px)] gap-x-4 py-2"
    >
      <b className="truncate font-semibold" title={"file" in finding ? finding.file : ""}>
        {file}
      </b>
      <span className="leading-snug">
        {what}
        <span className="block text-xs text-soft">{means}</span>
      </span>
      <span className="leading-snug">
        {fix !== "" && chosen && (
          <label className="flex gap-1.5">
            <input
              type="checkbox"
              className="mt-0.5 size-4 shrink-0 accent-[var(--spot)]"
              checked={!without.has(place)}
              onChange={() => toggle(place)}
            />
            {fix}
          </label>
        )}
        {fix !== "" && !chosen && <span className="text-soft">{fix}</span>}
      </span>
    </li>
  );
}

const NO_MIX = "none";

const heardIn = ({ findings }: ResultOf<"judge">["judged"]): number | null =>
  findings.flatMap((f) => (f.kind === "no tempo" || f.kind === "other tempo" ? [f.heard] : []))[0] ?? null;

type FilesProps = Pick<ResultOf<"judge">, "judged" | "files"> & Pick<JudgedProps, "candidate">;

function Files({ judged, files, candidate }: FilesProps) {
  const bpm = useIntake((s) => s.bpm);
  const sent = useIntake((s) => s.sent);
  const { of, names, rename, check } = useCheck();
  const left = new Set(judged.mends.filter((m) => m.leaveOut).map((m) => m.path));
  const hold = (mix: string) => of && void check(of.candidate, sent, mix);
  const entriesOf = (f: FilesProps["files"][number]): readonly ItemEntry[] => {
    const isMix = f.path === judged.mix;
    return [
      isMix
        ? { label: "Compare with no mix", run: () => hold("") }
        : { label: "Compare the others with this mix", run: () => hold(f.path) },
      {
        label: "Restore proposed name",
        run: () => rename(f.path, f.name),
        blocked: isMix ? "The mix keeps its name" : (names.get(f.path) ?? f.name) === f.name ? "It has it" : null,
      },
      {
        label: "Use name of the file",
        run: () => rename(f.path, fileName(f.path).replace(/\.[^.]+$/, "")),
        blocked: isMix ? "The mix keeps its name" : null,
      },
    ];
  };
  return (
    <section className="mt-6">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1">
        <h3 className="eyebrow">Files</h3>
        <span className="flex-1">
          <span className="mr-2 text-soft">Tempo</span>
          <TempoField candidate={candidate} heard={heardIn(judged)} />
        </span>
        <Choice
          label="The mix that they are held against"
          value={judged.mix ?? NO_MIX}
          options={[
            { value: NO_MIX, label: "no mix" },
            ...files.map((f) => ({ value: f.path, label: `mix: ${fileName(f.path)}` })),
          ]}
          onChange={(mix) => hold(mix === NO_MIX ? "" : mix)}
        />
      </div>
      <NamePattern
        files={files.filter((f) => f.path !== judged.mix)}
        set={candidate.name}
        bpm={bpm ?? candidate.tempo?.bpm ?? null}
      />
      <table className="mt-1 w-full border-y border-rule text-left">
        <thead>
          <tr className="border-b border-rule text-xs text-soft">
            <th className="py-1 pr-3 font-semibold">Name in the repaired set</th>
            <th className="pr-3 font-semibold">File</th>
            <th className="pr-3 text-right font-semibold">Length, samples</th>
            <th className="pr-3 text-right font-semibold">Peak, dBFS</th>
            <th className="pr-3 text-right font-semibold">Loudness, LUFS</th>
          </tr>
        </thead>
        <tbody className="divide-y divide-rule">
          {files.map((f) => (
            <tr
              key={f.path}
              {...itemMenu(`File ${fileName(f.path)}`, () => entriesOf(f))}
              className={left.has(f.path) ? "text-soft" : ""}
            >
              <td className="py-1 pr-3">
                {f.path === judged.mix ? (
                  <b className="font-semibold">{f.name} (the mix)</b>
                ) : (
                  <input
                    value={names.get(f.path) ?? f.name}
                    aria-label={`Name of ${fileName(f.path)} in the repaired set`}
                    maxLength={120}
                    onChange={(e) => rename(f.path, e.target.value)}
                    className="h-7 w-full min-w-32 rounded-sm border border-rule bg-paper px-1.5 hover:border-ink"
                  />
                )}
              </td>
              <td className="max-w-48 truncate pr-3 text-soft" title={f.path}>
                {fileName(f.path)}
              </td>
              <td className="figure pr-3 text-right">{f.frames.toLocaleString("en")}</td>
              <td className="figure pr-3 text-right">{f.peakDb === null ? "silent" : formatDb(f.peakDb)}</td>
              <td className="figure pr-3 text-right">{f.lufs === null ? "" : formatDb(f.lufs)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
