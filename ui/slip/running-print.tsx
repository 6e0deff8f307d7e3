"use client";

import type { Job } from "../../contract/job";
import { jobWords } from "../../contract/job-words";
import { Button } from "../parts/button";
import { ProgressBar } from "../parts/progress-bar";
import { paceText } from "../session/job-pace";
import { useSession } from "../session/provider";

/** A print that is being made, beside its sentence. */
export function RunningPrint({ job }: { readonly job: Job }) {
  const cancel = useSession((s) => s.cancel);
  const percent = Math.round(job.progress.done * 100);
  return (
    <div className="flex h-full flex-col rounded-sm border border-ink p-3">
      <p className="text-base font-semibold">
        {jobWords[job.request.kind].title} <span className="figure float-right">{percent}%</span>
      </p>
      <ProgressBar label={jobWords[job.request.kind].title} done={job.progress.done} className="mt-2 w-full" />
      <p className="mt-2 min-h-9 text-xs text-soft">
        {job.progress.stage}
        <br />
        {paceText(job)}
      </p>
      <Button className="mt-auto" onClick={() => void cancel(job.id)}>
        Cancel
      </Button>
    </div>
  );
}

/** The same in one line. */
export function RunningLine({ job }: { readonly job: Job }) {
  const cancel = useSession((s) => s.cancel);
  const percent = Math.round(job.progress.done * 100);
  return (
    <div className="flex min-h-9 items-center gap-4 text-[13px]">
      <b className="shrink-0 text-[15px]">
        {jobWords[job.request.kind].title} <span className="figure">{percent}%</span>
      </b>
      <ProgressBar label={jobWords[job.request.kind].title} done={job.progress.done} className="w-48 shrink-0" />
      <span className="min-w-0 truncate text-soft">
        {job.progress.stage} {paceText(job)}
      </span>
      <Button onClick={() => void cancel(job.id)}>Cancel</Button>
    </div>
  );
}
