"use client";

import { X } from "lucide-react";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import { jobWords } from "../../contract/job-words";
import { paceText } from "../session/job-pace";
import { useSession, useSessionParts } from "../session/provider";

/** Running work, on every screen: how far, how fast, how long still, and a way to stop it. */
export function JobStrip() {
  const jobs = useSessionParts((s) => s.jobs);
  const running = Object.values(jobs).filter((j) => !isOver(j.status) && jobWords[j.request.kind].shown);
  return (
    <div className="flex gap-2" role="group" aria-label="Running work">
      {running.map((job) => (
        <Running key={job.id} job={job} />
      ))}
    </div>
  );
}

function Running({ job }: { readonly job: Job }) {
  const cancel = useSession((s) => s.cancel);
  const title = jobWords[job.request.kind].title;
  const percent = Math.round(job.progress.done * 100);
  return (
    <div
      className="relative mr-1 flex items-center gap-1.5 rounded-sm border border-on-strip/40 pl-2 text-xs"
      title={`${job.progress.stage}. ${paceText(job)}`}
    >
      <span>{title}</span>
      <progress className="sr-only" aria-label={title} max={100} value={percent} />
      <span className="figure w-7 text-right">{percent}%</span>
      {job.progress.secondsLeft !== null && (
        <span className="figure text-on-strip-soft">{Math.ceil(job.progress.secondsLeft)} s</span>
      )}
      <span aria-hidden className="absolute bottom-0 left-0 h-[2px] bg-on-strip" style={{ width: `${percent}%` }} />
      <button
        type="button"
        aria-label={`Cancel ${title.toLowerCase()}`}
        onClick={() => void cancel(job.id)}
        className="grid size-6 place-items-center hover:bg-on-strip/15"
      >
        <X size={13} aria-hidden />
      </button>
    </div>
  );
}
