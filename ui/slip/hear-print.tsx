"use client";

import { Play, Square } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { JobResult } from "../../contract/job-kinds";
import type { Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import { formatClock } from "../../core/time/clock";
import { Button } from "../parts/button";
import { Floating } from "../parts/floating";
import { formatNumber } from "../../core/words/numbers";
import { SwitchPlayer } from "../parts/switch-player";
import { usePlayback, usePlaybackStore } from "../playback/provider";
import { api, audioAddress, whyRefused } from "../session/api";
import { useSessionParts } from "../session/provider";

const SIDES = ["before", "after", "difference"] as const;

/** The mix before a print and after it, and one taken from the other, each at one press. */
export function HearPrint({ print, name }: { readonly print: string; readonly name: string }) {
  return (
    <Floating
      label={`Before and after ${name}`}
      width={340}
      trigger={
        <button type="button" data-press="hear" className="font-semibold text-spot underline underline-offset-2">
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
  const [isLive, setLive] = useState(false);
  const asked = useRef(false);
  useEffect(() => {
    if (asked.current) return;
    asked.current = true;
    if (!job || job.status === "failed" || job.status === "cancelled") void listen(print);
  }, [job, listen, print]);
  // What is playing is not replaced.
  if (job?.result?.kind === "listen" && !isLive) return <Switch heard={job.result} />;
  return (
    <div className="grid gap-2">
      <LiveSwitch print={print} onPlaying={setLive} />
      <p className="text-xs text-soft">
        {job?.status === "failed" ? (
          (job.fault?.what ?? "The difference cannot be written.")
        ) : job?.result?.kind === "listen" ? (
          "The difference is ready: stop to hear it."
        ) : (
          <>
            The difference is written meanwhile …{" "}
            <span className="figure">{Math.round((job?.progress.done ?? 0) * 100)}%</span>
          </>
        )}
      </p>
    </div>
  );
}

const PlayOrStop = ({ playing }: { readonly playing: boolean }) =>
  playing ? (
    <>
      <Square size={12} fill="currentColor" aria-hidden /> Stop
    </>
  ) : (
    <>
      <Play size={13} fill="currentColor" aria-hidden /> Play
    </>
  );

const BOTH = ["before", "after"] as const;
const PRE_ROLL_S = 1;

/** Both versions of the session, played by the page itself: at once, from the playhead or where the print begins. */
function LiveSwitch({ print, onPlaying }: { readonly print: string; readonly onPlaying: (on: boolean) => void }) {
  const { id, session } = useSessionParts((s) => ({ id: s.id, session: s.session }));
  const playback = usePlaybackStore();
  const { state } = usePlayback((p) => ({ state: p.state }));
  const [versions, setVersions] = useState<readonly Session[] | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [side, setSide] = useState(0);
  useEffect(() => {
    let gone = false;
    const get = async () => {
      const made = (await api.prints(id)).find((p) => p.id === print);
      if (!made) throw new Error("the print is not known");
      const both = await Promise.all(
        [made.revisionBefore, made.revisionAfter].map((revision) => api.documentAt(id, revision)),
      );
      if (gone) return;
      setVersions(both as readonly Session[]);
      const { position, seek, hearInstead } = playback.getState();
      const start = session.assets.some((a) => a.id === made.asset) ? startOf(session, made.asset) : 0;
      const at = position();
      if (at < start) seek(Math.max(0, start - PRE_ROLL_S * session.rate));
      // It gets ready while a hand is on its way.
      hearInstead((both[0] as Session | undefined) ?? null);
    };
    get().catch((error: unknown) => {
      if (!gone) setProblem(whyRefused(error));
    });
    return () => {
      gone = true;
      playback.getState().hearInstead(null);
    };
    // Once for a print: what is heard is as it was, whatever is done to the session meanwhile.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [id, print, playback]);
  const playing = state !== "stopped";
  useEffect(() => onPlaying(playing), [playing, onPlaying]);
  return (
    <>
      <div className="flex items-center gap-2">
        <Button disabled={!versions} onClick={() => playback.getState().toggle()} className="min-h-8">
          <PlayOrStop playing={playing} />
        </Button>
        <div role="group" aria-label="What is heard" className="grid flex-1 grid-cols-2">
          {BOTH.map((name, i) => (
            <button
              key={name}
              type="button"
              aria-pressed={side === i}
              onClick={() => {
                setSide(i);
                playback.getState().hearInstead(versions?.[i] ?? null);
              }}
              className={`min-h-8 border-b-2 text-[13px] ${side === i ? "border-ink font-semibold" : "border-rule text-soft hover:text-ink"}`}
            >
              {name}
            </button>
          ))}
        </div>
      </div>
      {problem && <p className="text-xs text-caution">{problem}</p>}
    </>
  );
}

/** First frame at which a piece of audio is placed. */
const startOf = (session: Session, asset: string): Frames =>
  Math.min(
    ...session.tracks.flatMap((t) =>
      t.clips.flatMap((c) => (c.kind === "audio" && c.asset === asset ? [c.start] : [])),
    ),
    Number.MAX_SAFE_INTEGER,
  ) % Number.MAX_SAFE_INTEGER;

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
          <PlayOrStop playing={state === "playing"} />
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
