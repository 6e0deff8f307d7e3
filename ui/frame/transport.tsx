"use client";

import { PenLine, Play, Repeat, SkipBack, Square } from "lucide-react";
import { useRef } from "react";
import { formatClock } from "../../core/time/clock";
import { setText } from "../parts/set-text";
import { Floating } from "../parts/floating";
import { useDialogs } from "./dialogs";
import { TempoSheet } from "./tempo-sheet";
import { barText, clockOf } from "../session/clock";
import { useActionContext } from "../actions/use-action-context";
import { livePassActions } from "../slip/live-pass";
import { useSession } from "../session/provider";
import { useEveryPicture, usePlayback } from "../playback/provider";

/** Play, stop, and where the playhead is: in bars, in time, with the tempo and meter there. */
export function Transport() {
  const session = useSession((s) => s.session);
  const { open: dialog, show } = useDialogs();
  const { state, ready, missed, looping, stretch, toggle, seek, loop } = usePlayback((p) => ({
    state: p.state,
    ready: p.ready,
    missed: p.missed,
    looping: p.looping,
    stretch: p.stretch,
    toggle: p.toggle,
    seek: p.seek,
    loop: p.loop,
  }));
  const bars = useRef<HTMLSpanElement>(null);
  const time = useRef<HTMLSpanElement>(null);
  const pace = useRef<HTMLSpanElement>(null);
  useEveryPicture((playback) => {
    const frame = playback.position();
    const clock = clockOf(session);
    const tick = clock.tempo.toTicks(frame);
    const { bar } = clock.meter.position(tick);
    const meter = clock.meter.meterAt(bar);
    setText(bars.current, barText(clock, frame));
    setText(time.current, formatClock(frame / session.rate));
    const bpm = Number(clock.tempo.bpmAt(tick).toFixed(1));
    setText(pace.current, `${bpm}  ${meter.numerator}/${meter.denominator}`);
  }, session);
  const playing = state !== "stopped";
  return (
    <section
      aria-label="Playing"
      data-ready={ready || undefined}
      data-missed={missed}
      className="ml-3 flex shrink-0 items-center gap-0.5"
    >
      <StripToggle label="Playhead to the beginning (Home)" onClick={() => seek(0)}>
        <SkipBack size={15} aria-hidden />
      </StripToggle>
      <button
        type="button"
        onClick={toggle}
        data-control="play"
        aria-label={playing ? "Stop (Space)" : "Play (Space)"}
        title={playing ? "Stop (Space)" : "Play (Space)"}
        data-state={state}
        className="grid size-7 shrink-0 place-items-center rounded-sm bg-on-strip text-strip hover:bg-on-strip/85"
      >
        {playing ? (
          <Square size={13} fill="currentColor" aria-hidden />
        ) : (
          <Play size={15} fill="currentColor" aria-hidden />
        )}
      </button>
      <StripToggle
        label={stretch ? "Loop the range (L)" : "Drag along the ruler to set a range to loop"}
        on={looping}
        onClick={() => stretch && loop(!looping)}
        disabled={!stretch}
      >
        <Repeat size={15} aria-hidden />
      </StripToggle>
      <LivePass />
      <span
        className="figure ml-2 grid h-4 w-[136px] shrink-0 grid-cols-[64px_72px] items-baseline text-right leading-none contain-strict"
        role="timer"
        aria-label="Playhead"
      >
        <span ref={bars} className="text-[14px] font-semibold" />
        <span ref={time} className="text-[12px] text-on-strip-soft" />
      </span>
      <Floating
        label="Tempo and meter"
        side="bottom"
        width={400}
        open={dialog === "tempo"}
        onOpen={(open) => show(open ? "tempo" : null)}
        trigger={
          <button
            type="button"
            aria-label="Tempo and meter"
            title="Tempo in beats to the minute, and meter; and where they change"
            className="ml-1 h-7 shrink-0 rounded-sm px-1 hover:bg-on-strip/15"
          >
            <span
              ref={pace}
              className="figure block w-[76px] text-left text-[12px] whitespace-pre text-on-strip-soft"
            />
          </button>
        }
      >
        <TempoSheet />
      </Floating>
    </section>
  );
}

/** Begins and ends a live pass; while it goes on, how much has been ridden. */
function LivePass() {
  const context = useActionContext();
  const riding = useSession((s) => s.riding);
  const label = riding === null ? "Live pass: play, and keep what is ridden (R)" : "End the live pass (R)";
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      aria-pressed={riding !== null}
      onClick={() => livePassActions.forEach((a) => a.run(context))}
      className={`flex h-7 shrink-0 items-center gap-1 rounded-sm px-1.5 text-[11px] ${riding === null ? "text-on-strip hover:bg-on-strip/15" : "bg-spot text-on-spot"}`}
    >
      <PenLine size={15} aria-hidden />
      {riding !== null && <span className="figure">{riding}</span>}
    </button>
  );
}

function StripToggle({
  label,
  on = false,
  disabled = false,
  onClick,
  children,
}: {
  readonly label: string;
  readonly on?: boolean;
  readonly disabled?: boolean;
  readonly onClick: () => void;
  readonly children: React.ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      aria-pressed={on}
      disabled={disabled}
      onClick={onClick}
      className={`grid size-7 shrink-0 place-items-center rounded-sm ${on ? "bg-on-strip/25 text-on-strip" : "text-on-strip hover:bg-on-strip/15"} disabled:text-on-strip-soft/50 disabled:hover:bg-transparent`}
    >
      {children}
    </button>
  );
}
