"use client";

import { File, FileAudio, Folder } from "lucide-react";
import Link from "next/link";
import { useState } from "react";
import type { HandoffSummary } from "../../contract/handoff";
import { isOver } from "../../contract/job-progress";
import { HASH_LIST_NAME, MANIFEST_NAME } from "../../core/delivery/package-names";
import { safeName } from "../../core/delivery/naming";
import type { ExportPlan, StemFile } from "../../core/delivery/plan";
import { frameBytes } from "../../core/formats/wav/format";
import { endingOf, sessionKinds } from "../../core/interchange/kinds";
import type { Checked } from "../../core/session/problem";
import { formatClock } from "../../core/time/clock";
import { depthName } from "../../core/units";
import { formatTap } from "../../core/words/delivered";
import { fileFormats } from "../../core/words/settings";
import { Button } from "../parts/button";
import { ProgressBar } from "../parts/progress-bar";
import { byteText } from "../parts/bytes";
import { Choice } from "../parts/choice";
import { paceText } from "../session/job-pace";
import { useSessionParts } from "../session/provider";
import { whenText } from "../parts/dates";
import { sayProblems } from "../../core/words/problems";
import { shownName } from "../../core/session/names";

/** What a package will be, file by file, and the button that makes it. */
export function PackageTree({
  plan,
  list,
}: {
  readonly plan: Checked<ExportPlan>;
  readonly list: readonly HandoffSummary[];
}) {
  const { session, id } = useSessionParts((s) => ({ session: s.session, id: s.id }));
  return (
    <section aria-labelledby="package" className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)_auto] border-r border-ink">
      <header className="px-5 pt-4 pb-2">
        <h2 id="package" className="text-lg leading-tight font-semibold">
          The package
        </h2>
        {plan.ok ? (
          <p className="text-soft">
            {plan.value.rate / 1000} kHz, {depthName(plan.value.depth)} ·{" "}
            <span className="figure">{formatClock((plan.value.to - plan.value.from) / session.rate)}</span>
            {plan.value.tail === "measured" && " and the tail"} ·{" "}
            <Link href={`/s/${id}/stems`} className="font-semibold text-spot underline underline-offset-2">
              change the sheet
            </Link>
          </p>
        ) : (
          <p className="font-medium text-wrong">{sayProblems(plan.problems)}</p>
        )}
      </header>
      <div className="min-h-0 overflow-auto px-5 pb-4">{plan.ok && <Tree plan={plan.value} />}</div>
      <Making plan={plan} list={list} />
    </section>
  );
}

function Tree({ plan }: { readonly plan: ExportPlan }) {
  const session = useSessionParts((s) => s.session);
  const song = safeName(session.name);
  const seconds = (plan.to - plan.from + plan.tailFrames) / session.rate + plan.leadFrames / plan.rate;
  const about = (file: StemFile) => {
    if (file.tap.kind === "mix") return formatTap(file.tap, false);
    const names = file.sources.map((s) => shownName(session.tracks.find((t) => t.id === s))).join(", ");
    const where = formatTap({ ...file.tap, linked: false }, false);
    return names === file.title ? where : `${names}: ${where}`;
  };
  const papers = [
    ...session.sheet.sessionFiles.map((f) => ({
      name: `Session files/${song}${endingOf(f)}`,
      about: sessionKinds[f.kind].name,
    })),
    { name: `${song} sheet.html`, about: "the sheet, opens anywhere" },
    { name: `${song} sheet.pdf`, about: "the sheet, to be printed" },
    { name: `${song} sheet.csv`, about: "the sheet as a table" },
    { name: `${song} tempo map.mid`, about: "tempo, meter and markers" },
    { name: MANIFEST_NAME, about: "everything, for programs" },
    { name: HASH_LIST_NAME, about: "to check every byte after the transfer" },
  ];
  return (
    <div>
      <p className="flex items-start gap-2 font-semibold">
        <Folder size={15} aria-hidden className="mt-0.5 shrink-0" />
        <span className="figure break-words">{plan.folder}</span>
      </p>
      <ul className="mt-1 ml-[7px] border-l border-rule pl-4">
        {plan.files.map((file) => (
          <li key={file.fileName} className="grid grid-cols-[16px_minmax(0,1fr)_auto] gap-x-2 py-0.5">
            <FileAudio size={14} aria-hidden className="mt-0.5 text-spot" />
            <span className="figure truncate text-[13px]" title={file.fileName}>
              {file.fileName}
            </span>
            <span className="figure text-right text-xs text-soft">{sizeText(file, plan, seconds)}</span>
            <span className="col-start-2 -mt-0.5 truncate text-xs text-soft" title={about(file)}>
              {about(file)}
            </span>
          </li>
        ))}
        {papers.map(({ name, about: what }) => (
          <li key={name} className="grid grid-cols-[16px_minmax(0,1fr)_auto] gap-x-2 py-0.5">
            <File size={14} aria-hidden className="mt-0.5 text-soft" />
            <span className="figure truncate text-[13px]">{name}</span>
            <span className="text-xs text-soft">{what}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** About how large a file will be; what packs itself is as large as it turns out. */
function sizeText(file: StemFile, { rate, depth }: ExportPlan, seconds: number): string {
  if (file.format === "flac") return fileFormats[file.format].label;
  const bytes =
    file.format === "mp3" ? seconds * 40000 : seconds * rate * frameBytes({ rate, depth, channels: file.fold ? 1 : 2 });
  return `${file.fold || file.keepsStereo || file.format === "mp3" ? "" : "up to "}${byteText(bytes)}`;
}

/** How it is made: all of it, or on an earlier package. */
function Making({ plan, list }: { readonly plan: Checked<ExportPlan>; readonly list: readonly HandoffSummary[] }) {
  const { session, jobs, exportStems, exportSessionFiles, cancel } = useSessionParts((s) => ({
    session: s.session,
    jobs: s.jobs,
    exportStems: s.exportStems,
    exportSessionFiles: s.exportSessionFiles,
    cancel: s.cancel,
  }));
  const [how, setHow] = useState("all");
  const running = Object.values(jobs).find((j) => j.request.kind === "export" && !isOver(j.status));
  const last = list.find((h) => h.full && h.isHere);
  const since = how !== "all" && last ? last.id : null;
  return (
    <footer className="flex min-h-[76px] flex-wrap items-center gap-4 border-t-2 border-dashed border-ink bg-lift px-5 py-3">
      {running ? (
        <>
          <div className="min-w-0 flex-1">
            <p className="font-semibold">
              {running.progress.stage}{" "}
              <span className="figure font-normal">{Math.round(running.progress.done * 100)}%</span>{" "}
              <span className="text-xs font-normal text-soft">{paceText(running)}</span>
            </p>
            <ProgressBar label="Exporting" done={running.progress.done} className="mt-1.5 w-full" />
          </div>
          <Button onClick={() => void cancel(running.id)}>Cancel</Button>
        </>
      ) : (
        <>
          <div className="min-w-0 flex-1">
            {last ? (
              <Choice
                label="What is rendered"
                value={how}
                options={[
                  { value: "all", label: "render everything" },
                  {
                    value: "full",
                    label: `only what changed since ${whenText(last.madeAt)}`,
                    about: "The package is whole; what is still the same is taken over, byte for byte.",
                  },
                  {
                    value: "alone",
                    label: "only what changed, and nothing else in it",
                    about: "For a receiver who has the rest: the changed files alone, and a sheet that says which.",
                  },
                ]}
                onChange={setHow}
                className="max-w-full"
              />
            ) : (
              <p className="text-soft">All files come out of one pass, from one first frame.</p>
            )}
          </div>
          {session.sheet.sessionFiles.length > 0 && (
            <Button onClick={() => void exportSessionFiles()}>
              {session.sheet.sessionFiles.length === 1 ? "The session file alone" : "The session files alone"}
            </Button>
          )}
          <button
            type="button"
            disabled={!plan.ok}
            onClick={() => void exportStems(since, how !== "alone")}
            className="grid min-h-[52px] w-[160px] place-items-center rounded-sm bg-spot text-[20px] font-bold tracking-tight text-on-spot hover:brightness-110 disabled:opacity-45"
          >
            Export
          </button>
        </>
      )}
    </footer>
  );
}
