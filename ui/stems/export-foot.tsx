"use client";

import Link from "next/link";
import type { Handoff } from "../../contract/handoff";
import { isOver } from "../../contract/job-progress";
import type { Checked } from "../../core/session/problem";
import type { ExportPlan } from "../../core/delivery/plan";
import { sessionKinds } from "../../core/interchange/kinds";
import type { SessionFile } from "../../core/session/document";
import { formatClock } from "../../core/time/clock";
import { bytesPerSample } from "../../core/formats/wav/format";
import { paceText } from "../session/job-pace";
import { Button } from "../parts/button";
import { Floating } from "../parts/floating";
import { ProgressBar } from "../parts/progress-bar";
import { byteText } from "../parts/bytes";
import { packageAddress } from "../session/api";
import { useSessionParts } from "../session/provider";
import { SessionFiles } from "../session-files/session-files";
import { sayProblems } from "../../core/words/problems";

/** What the export will be, in one line, and the button that makes it. */
export function ExportFoot({ plan, last }: { readonly plan: Checked<ExportPlan>; readonly last: Handoff | null }) {
  const { session, id, jobs, exportStems, cancel } = useSessionParts((s) => ({
    session: s.session,
    id: s.id,
    jobs: s.jobs,
    exportStems: s.exportStems,
    cancel: s.cancel,
  }));
  const running = Object.values(jobs).find((j) => j.request.kind === "export" && !isOver(j.status));
  const proving =
    last &&
    Object.values(jobs).some((j) => j.request.kind === "prove" && j.request.handoff === last.id && !isOver(j.status));
  return (
    <footer className="col-span-2 flex min-h-[76px] items-center gap-6 border-t-2 border-dashed border-ink bg-lift px-5 py-3">
      {running ? (
        <>
          <div className="flex-1">
            <p className="text-base font-semibold">
              Exporting: {running.progress.stage}{" "}
              <span className="figure font-normal">{Math.round(running.progress.done * 100)}%</span>
            </p>
            <ProgressBar label="Exporting" done={running.progress.done} className="mt-1.5 w-full" />
          </div>
          <span className="w-44 text-xs text-soft">{paceText(running)}</span>
          <Button onClick={() => void cancel(running.id)}>Cancel</Button>
        </>
      ) : (
        <>
          <div className="min-w-0 flex-1">
            {plan.ok ? (
              <PlanLine plan={plan.value} rate={session.rate} sessionFiles={session.sheet.sessionFiles.length} />
            ) : (
              <p className="font-medium text-wrong">{sayProblems(plan.problems)}</p>
            )}
            {last && (
              <p className="mt-0.5 truncate text-soft">
                Last export: {last.fileName}, {byteText(last.bytes)} ·{" "}
                <Link href={`/s/${id}/proof`} className="font-semibold text-spot underline underline-offset-4">
                  {last.proof ? "see its proof" : proving ? "being proven" : "not proven yet"}
                </Link>{" "}
                ·{" "}
                <a
                  href={packageAddress(last.id)}
                  download
                  className="font-semibold text-spot underline underline-offset-4"
                >
                  download
                </a>
              </p>
            )}
          </div>
          <SessionFilesPick files={session.sheet.sessionFiles} />
          <button
            type="button"
            data-control="export"
            disabled={!plan.ok}
            onClick={() => void exportStems()}
            className="grid min-h-[52px] w-[212px] place-items-center rounded-sm bg-spot text-[20px] font-bold tracking-tight text-on-spot hover:brightness-110 disabled:opacity-45"
          >
            Export
          </button>
        </>
      )}
    </footer>
  );
}

/** Which session files go with the stems, and the sheet to choose them on. */
const SessionFilesPick = ({ files }: { readonly files: readonly SessionFile[] }) => (
  <Floating
    label="Session files of the export"
    width={430}
    align="end"
    trigger={
      <Button className="min-h-[52px] max-w-60 flex-col !items-start !gap-0 px-3 text-left">
        <span className="eyebrow">Session files …</span>
        <span className="block max-w-full truncate">
          {files.length === 0 ? "none" : files.map((f) => sessionKinds[f.kind].name).join(", ")}
        </span>
      </Button>
    }
  >
    <SessionFiles />
  </Floating>
);

function PlanLine({
  plan,
  rate,
  sessionFiles,
}: {
  readonly plan: ExportPlan;
  readonly rate: number;
  readonly sessionFiles: number;
}) {
  const stems = plan.files.filter((f) => f.role === "stem").length;
  const mixes = plan.files.length - stems;
  const what = [
    ...(stems > 0 ? [`${stems} ${stems === 1 ? "stem" : "stems"}`] : []),
    ...(mixes === 1
      ? [plan.files.some((f) => f.role === "reference mix") ? "the reference mix" : "the mix before its chain"]
      : mixes > 1
        ? [`${mixes} mixes`]
        : []),
    ...(sessionFiles > 0 ? [`${sessionFiles} session ${sessionFiles === 1 ? "file" : "files"}`] : []),
  ];
  const seconds = (plan.to - plan.from) / rate;
  const bytes = plan.files.length * seconds * plan.rate * 2 * bytesPerSample(plan.depth);
  return (
    <p className="text-base font-semibold">
      {what.join(" and ")}
      {plan.files.length > 1 && " · same first frame"} ·{" "}
      <span className="figure font-medium">{formatClock(seconds)}</span>
      {plan.tail === "measured" && " and the tail"} · about{" "}
      <span className="figure font-medium">{byteText(bytes)}</span>
    </p>
  );
}
