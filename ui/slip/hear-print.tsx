"use client";

import { Play, Square } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { JobResult } from "../../contract/job-kinds";
import { formatClock } from "../../core/time/clock";
import { Button } from "../parts/button";
import { Floating } from "../parts/floating";
import { formatNumber } from "../../core/words/numbers";
import { SwitchPlayer } from "../parts/switch-player";
import { audioAddress } from "../session/api";
import { useSessionParts } from "../session/provider";

const SIDES = ["before", "after", "difference"] as const;

/** The mix before a print and after it, and one taken from the other, each at one press. */
export function HearPrint({ print, name }: { readonly print: string; readonly name: string }) {
  return (
    <Floating
      label={`Before and after ${name}`}
      width={340}
      trigger={
        <button type="button" className="font-semibold text-spot underline underline-offset-2">
          hear both
        </button>
      }
    >
      <Listening print={print} />
    </Floating>
  );
}

function Listening({ print }: { readonly print: string }) {
  const { jobs, listen } = useSessionParts((s) => ({ jobs: s.jobs, listen: s.listen }));
  const job = Object.values(jobs).findLast((j) => j.request.kind === "listen" && j.request.print === print);
  const asked = useRef(false);
  useEffect(() => {
    if (asked.current) return;
    asked.current = true;
    if (!job || job.status === "failed" || job.status === "cancelled") void listen(print);
  }, [job, listen, print]);
  if (job?.result?.kind === "listen") return <Switch heard={job.result} />;
  if (job?.status === "failed") return <p className="text-[13px]">{job.fault?.what ?? "That did not work."}</p>;
  return (
    <p className="text-[13px] text-soft">
      Rendering the mix before and after …{" "}
      <span className="figure">{Math.round((job?.progress.done ?? 0) * 100)}%</span>
    </p>
  );
}

function Switch({ heard }: { readonly heard: Extract<JobResult, { kind: "listen" }> }) {
  const rate = useSessionParts((s) => ({ rate: s.session.rate })).rate;
  const player = useRef<SwitchPlayer | null>(null);
  const [state, setState] = useState<"still" | "loading" | "playing">("still");
  const [side, setSide] = useState(0);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => () => player.current?.close(), []);
  const toggle = () => {
    if (state === "playing") {
      player.current?.stop();
      return setState("still");
    }
    setState("loading");
    setProblem(null);
    const start = async () => {
      if (!player.current) {
        const made = new SwitchPlayer(() => setState("still"));
        await made.load([heard.before, heard.after, heard.difference].map(audioAddress));
        player.current = made;
        made.hear(side);
      }
      await player.current.play();
      setState("playing");
    };
    start().catch((error: unknown) => {
      setState("still");
      setProblem(error instanceof Error ? error.message : "the audio cannot be played");
    });
  };
  return (
    <div className="grid gap-2">
      <p className="text-[13px]">
        The mix from <span className="figure">{formatClock(heard.from / rate)}</span>, for{" "}
        <span className="figure">{formatClock(heard.frames / rate)}</span>.
      </p>
      <div className="flex items-center gap-2">
        <Button onClick={toggle} className="min-h-8">
          {state === "playing" ? (
            <>
              <Square size={12} fill="currentColor" aria-hidden /> Stop
            </>
          ) : (
            <>
              <Play size={13} fill="currentColor" aria-hidden /> Play
            </>
          )}
        </Button>
        <div role="group" aria-label="What is heard" className="grid flex-1 grid-cols-3">
          {SIDES.map((name, i) => (
            <button
              key={name}
              type="button"
              aria-pressed={side === i}
              onClick={() => {
                setSide(i);
                player.current?.hear(i);
              }}
              className={`min-h-8 border-b-2 text-[13px] ${side === i ? "border-ink font-semibold" : "border-rule text-soft hover:text-ink"}`}
            >
              {name}
            </button>
          ))}
        </div>
      </div>
      <p className="text-xs text-soft">
        {heard.differencePeakDb === null ? (
          "The difference is silence: not one bit is left."
        ) : (
          <>
            The difference peaks at <span className="figure">{formatNumber(heard.differencePeakDb, 0)} dBFS</span>
            {heard.differencePeakDb <= -100 ? ", far below what can be heard" : ""}.
          </>
        )}
      </p>
      {problem && <p className="text-xs text-caution">It cannot be played: {problem}.</p>}
    </div>
  );
}
