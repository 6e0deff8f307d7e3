"use client";

import { useEffect, useMemo, type ReactNode } from "react";
import { toast } from "sonner";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job";
import { declarationOfJob } from "../../contract/job-kinds";
import { declarationOf } from "../../core/devices/catalogue";
import { contentEnd } from "../../core/engine/source";
import type { Session, Track } from "../../core/session/document";
import { formatClock } from "../../core/time/clock";
import { paceText } from "../session/job-pace";
import { keyText } from "../session/actions";
import { Button } from "../parts/button";
import { byteText } from "../parts/bytes";
import { Fact } from "../parts/fact";
import { Floating } from "../parts/floating";
import { formatDb } from "../../core/words/numbers";
import type { Action } from "../session/actions";
import { sessionActions, sortSelection } from "../session/actions";
import { barText, clockOf } from "../session/clock";
import { ClipRow } from "../clips/clip-row";
import { LastPrint } from "./last-print";
import { Recipes } from "./recipes";
import { printActions } from "./print-actions";
import { PrintSlip, usePrintPlan } from "./print-slip";
import { useSlip } from "./slip-store";
import { useSession, useSessionParts, useSessionStore } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";

/** Whether the foot of the Bench follows a job: it makes prints. */
const makesPrints = (job: Job): boolean => declarationOfJob(job.request.kind).makesPrints === true;

/**
 * The foot of the Bench: one sentence that says what will be printed, what that bakes in, and the button that does it.
 */
export function Slip() {
  const store = useSessionStore();
  const { session, selected, jobs, selectedClip } = useSessionParts((s) => ({
    session: s.session,
    selected: s.selected,
    jobs: s.jobs,
    selectedClip: s.selectedClip,
  }));
  const { mode } = useSlip();
  useEffect(() => void useSlip.persist.rehydrate(), []);
  const { toFreeze, frozen, fresh, parked, tracks } = sortSelection(session, selected);
  const { slip, plan } = usePrintPlan();
  const printing = mode === "print" && plan !== null;
  const running = Object.values(jobs).find((j) => makesPrints(j) && !isOver(j.status));
  const last = useMemo(() => Object.values(jobs).findLast((j) => makesPrints(j) && j.status === "done"), [jobs]);
  const problem = (text: string) => toast.error(text);
  const actions = new Map([...sessionActions(store, problem), ...printActions(store, problem)].map((a) => [a.id, a]));
  const some = tracks.length > 0;

  return (
    <section
      aria-label="Print slip"
      className="grid h-[196px] grid-cols-[minmax(0,1fr)_212px] gap-x-8 border-t-2 border-dashed border-ink bg-lift px-5 pt-3.5 pb-3"
    >
      <div className="flex min-w-0 flex-col">
        {printing ? (
          <PrintSlip slip={slip} plan={plan} />
        ) : toFreeze.length > 0 ? (
          <FreezeSlip tracks={toFreeze} session={session} />
        ) : frozen.length > 0 ? (
          <FrozenSlip tracks={frozen} session={session} />
        ) : parked.length > 0 ? (
          <Sentence>
            <Said>{names(parked)}</Said> {parked.length === 1 ? "rests: it computes" : "rest: they compute"} nothing and{" "}
            {parked.length === 1 ? "keeps" : "keep"} everything. Unpark to hear the live source again, beside whatever
            print of it plays.
          </Sentence>
        ) : (
          <>
            <Sentence>
              {some ? (
                <>
                  <Said>{names(tracks)}</Said> {tracks.length === 1 ? "has" : "have"} nothing of{" "}
                  {tracks.length === 1 ? "its" : "their"} own to freeze.{" "}
                </>
              ) : null}
              {some
                ? "It can be printed, though."
                : "Select one or more tracks to freeze or to print them. A frozen track plays its own print, and the load falls."}
            </Sentence>
            <HeavyHint session={session} />
          </>
        )}
        <div className="mt-auto flex items-center gap-4 text-[11.5px] text-soft">
          <ClipRow session={session} chosen={selectedClip} />
          {last && !running && !selectedClip && <LastPrint job={last} session={session} />}
          <span className="flex-1" />
          {!selectedClip && (
            <>
              <span className="shrink-0">
                <kbd className="figure">/</kbd> actions
              </span>
              <span className="shrink-0">
                <kbd className="figure">?</kbd> keys
              </span>
            </>
          )}
        </div>
      </div>
      <div className="flex flex-col gap-2">
        {running ? (
          <RunningPrint job={running} />
        ) : (
          <>
            {some && <Verb mode={mode} />}
            {printing && (
              <Big
                action={actions.get("print")}
                label="Print"
                under={
                  plan.ok
                    ? plan.value.files.length === 1
                      ? "one file"
                      : `${plan.value.files.length} files in one pass`
                    : "see what is in the way"
                }
                disabled={!plan.ok}
              />
            )}
            {printing && <Recipes />}
            {!printing && toFreeze.length > 0 && (
              <Big
                action={actions.get("freeze")}
                label="Freeze"
                under={
                  toFreeze.length === 1 ? "reversible; the source is kept" : `${toFreeze.length} tracks in one job`
                }
              />
            )}
            {!printing && toFreeze.length === 0 && fresh.length > 0 && (
              <Big action={actions.get("commit")} label="Commit" under="source parked beside it" />
            )}
            {!printing && frozen.length > 0 && (
              <Small
                action={actions.get("unfreeze")}
                label={frozen.length === 1 ? "Unfreeze" : `Unfreeze ${frozen.length} tracks`}
              />
            )}
            {!printing && toFreeze.length === 0 && parked.length > 0 && (
              <Small action={actions.get("unpark")} label="Unpark" />
            )}
            {!some && <Small action={actions.get("select-all")} label="Select all" />}
          </>
        )}
      </div>
    </section>
  );
}

/** Freezing, which can be taken back at any time, or printing, which says in full what it bakes. */
function Verb({ mode }: { readonly mode: "freeze" | "print" }) {
  const show = useSlip((s) => s.show);
  return (
    <div role="group" aria-label="What to do" className="grid grid-cols-2 text-xs">
      {(["freeze", "print"] as const).map((m) => (
        <button
          key={m}
          type="button"
          aria-pressed={mode === m}
          title={
            m === "freeze"
              ? "Reversible: the track plays its own print"
              : "Choose tap, range, pieces and place (Shift+P)"
          }
          onClick={() => show(m)}
          className={`min-h-6 border-b-2 ${mode === m ? "border-ink font-semibold" : "border-rule text-soft hover:text-ink"}`}
        >
          {m === "freeze" ? "freeze" : "print"}
        </button>
      ))}
    </div>
  );
}

const Sentence = ({ children }: { readonly children: ReactNode }) => (
  <p className="max-w-[58ch] text-[19px] leading-[29px] tracking-[-0.01em]">{children}</p>
);
/** A part of the sentence that is fixed here. */
const Said = ({ children }: { readonly children: ReactNode }) => <span className="font-semibold">{children}</span>;

const names = (tracks: readonly Track[]) =>
  tracks.length <= 3
    ? tracks
        .map(trackName)
        .join(", ")
        .replace(/, ([^,]*)$/, " and $1")
    : `${tracks.length} tracks`;

function FreezeSlip({ tracks, session }: { readonly tracks: readonly Track[]; readonly session: Session }) {
  const clock = clockOf(session);
  const ends = tracks.map((t) => ({ track: t, end: contentEnd(session, { ...t, frozen: null }, clock.tempo) }));
  const longest = ends.reduce((a, b) => (b.end > a.end ? b : a));
  const one = tracks.length === 1;
  const absent = tracks.flatMap((t) =>
    t.devices
      .filter((d) => d.on && !declarationOf(d.type))
      .map((d) => `${d.type} on ${trackName(t)} is not installed: the print will not have it.`),
  );
  const keys = [...new Set(tracks.flatMap((t) => t.devices.flatMap((d) => (d.key === null ? [] : [d.key]))))].flatMap(
    (id) => session.tracks.find((t) => t.id === id) ?? [],
  );
  return (
    <>
      <Sentence>
        Freeze <TrackPicker tracks={tracks} /> from <Said>the start</Said> to <Said>the last sound</Said>, tapped{" "}
        <Said>after {one ? "its" : "their"} devices</Said>, as <Said>one piece</Said>; then{" "}
        {one ? "the track plays its" : "each track plays its own"} print.
      </Sentence>
      <dl className="mt-2 grid grid-cols-[76px_minmax(0,1fr)] gap-x-3 text-[12.5px] leading-[19px]">
        <Fact term="Baked in">
          {bakedIn(tracks)}
          {keys.length > 0 && `, as keyed by ${names(keys)}`}
        </Fact>
        <Fact term="Stays live">{one ? staysLive(session, tracks[0]) : "faders, pans, sends and outputs"}</Fact>
        <Fact term="Length">
          <span className="figure">{formatClock(longest.end / session.rate)}</span> and the measured tail, to bar{" "}
          <span className="figure">{barText(clock, longest.end)}</span>
          {!one && <> (set by {trackName(longest.track)})</>} · about{" "}
          <span className="figure">{byteText(ends.reduce((sum, e) => sum + e.end * 8, 0))}</span> as float
        </Fact>
        {absent.length > 0 && (
          <Fact term="Mind">
            <span className="text-caution">
              {absent[0]}
              {absent.length > 1 && ` And ${absent.length - 1} more.`}
            </span>
          </Fact>
        )}
      </dl>
    </>
  );
}

function bakedIn(tracks: readonly Track[]): string {
  const devices = tracks.flatMap((t) =>
    t.devices.filter((d) => d.on).map((d) => declarationOf(d.type)?.name ?? d.type),
  );
  const clips = tracks.some((t) => t.kind === "audio") ? ["clips with their fades"] : [];
  const list = [...clips, ...(tracks.length === 1 ? devices : [...new Set(devices)])];
  return list.length === 0 ? "the clips as they are" : list.join(" · ");
}

function staysLive(session: Session, track: Track | undefined): string {
  if (!track) return "";
  const output = session.tracks.find((t) => t.id === track.output);
  const fader = track.automation.some((a) => a.target === "fader")
    ? "fader with its ride"
    : `fader ${formatDb(track.faderDb)} dB`;
  const pan =
    track.pan === 0 ? "pan centre" : `pan ${track.pan < 0 ? "L" : "R"}${Math.round(Math.abs(track.pan) * 100)}`;
  const sends =
    track.sends.length === 0 ? "no sends" : `${track.sends.length} ${track.sends.length === 1 ? "send" : "sends"}`;
  return [fader, pan, sends, `into ${output?.name ?? "nothing"}`].join(" · ");
}

function FrozenSlip({ tracks, session }: { readonly tracks: readonly Track[]; readonly session: Session }) {
  const clock = clockOf(session);
  const states = trackStates(session);
  const stale = tracks.filter((t) => states.get(t.id) === "stale");
  const one = tracks.length === 1;
  const [first] = tracks;
  const print = session.assets.find((a) => a.id === first?.frozen?.asset);
  return (
    <>
      <Sentence>
        <TrackPicker tracks={tracks} /> {one ? "plays its print" : "play their prints"}. Commit to make{" "}
        {one ? "it an audio track" : "them audio tracks"} for good, with the source parked beside; unfreeze to edit.
      </Sentence>
      <dl className="mt-2 grid grid-cols-[76px_minmax(0,1fr)] gap-x-3 text-[12.5px] leading-[19px]">
        {one && print && (
          <Fact term="Print">
            <span className="figure">{formatClock(print.frames / print.rate)}</span>, to bar{" "}
            <span className="figure">{barText(clock, print.frames)}</span> with its tail ·{" "}
            {print.channels === 1 ? "mono" : "stereo"} · float
          </Fact>
        )}
        <Fact term="Stays live">{one ? staysLive(session, first) : "faders, pans, sends and outputs"}</Fact>
        {stale.length > 0 && (
          <Fact term="Mind">
            <span className="text-caution">
              {names(stale)} {stale.length === 1 ? "has" : "have"} changed since: the print is stale until it is frozen
              again.
            </span>
          </Fact>
        )}
      </dl>
    </>
  );
}

/** The one part of a freeze that is chosen: which tracks. */
function TrackPicker({ tracks }: { readonly tracks: readonly Track[] }) {
  const { session, selected, select } = useSessionParts((s) => ({
    session: s.session,
    selected: s.selected,
    select: s.select,
  }));
  const states = trackStates(session);
  const offered = session.tracks.filter(
    (t) => (t.kind === "audio" || t.kind === "instrument") && !t.parked && t.clips.length > 0,
  );
  return (
    <Floating
      label="Tracks to freeze"
      trigger={
        <button
          type="button"
          className="font-semibold text-spot underline decoration-2 underline-offset-[5px] hover:bg-spot-wash"
        >
          {names(tracks)}
        </button>
      }
    >
      <p className="eyebrow">Tracks</p>
      {offered.map((t) => (
        <label key={t.id} className="flex min-h-7 items-center gap-2 rounded-sm px-1 hover:bg-spot-wash">
          <input
            type="checkbox"
            className="size-4 accent-[var(--spot)]"
            checked={selected.includes(t.id)}
            onChange={(e) => select(e.target.checked ? [...selected, t.id] : selected.filter((id) => id !== t.id))}
          />
          <span className="flex-1">{trackName(t)}</span>
          <span className="text-xs text-soft">{states.get(t.id)}</span>
        </label>
      ))}
    </Floating>
  );
}

/** Names the heaviest live track: where a freeze helps most. */
function HeavyHint({ session }: { readonly session: Session }) {
  const { load, select } = useSessionParts((s) => ({ load: s.load, select: s.select }));
  const states = trackStates(session);
  const heaviest = session.tracks
    .filter((t) => (t.kind === "audio" || t.kind === "instrument") && states.get(t.id) === "live")
    .map((track) => ({ track, load: load?.tracks[track.id] ?? 0 }))
    .sort((a, b) => b.load - a.load)[0];
  if (!heaviest || heaviest.load < 0.02 || !load) return null;
  return (
    <p className="mt-3 text-[13px]">
      The heaviest is{" "}
      <button
        type="button"
        onClick={() => select([heaviest.track.id])}
        className="font-semibold text-spot underline underline-offset-4"
      >
        {trackName(heaviest.track)}
      </button>
      : <span className="figure">{heaviest.load.toFixed(2)}</span> of{" "}
      <span className="figure">{load.total.toFixed(2)}</span>.
    </p>
  );
}

function RunningPrint({ job }: { readonly job: Job }) {
  const cancel = useSession((s) => s.cancel);
  const percent = Math.round(job.progress.done * 100);
  return (
    <div className="flex h-full flex-col rounded-sm border border-ink p-3">
      <p className="text-base font-semibold">
        {declarationOfJob(job.request.kind).title} <span className="figure float-right">{percent}%</span>
      </p>
      <progress
        aria-label={declarationOfJob(job.request.kind).title}
        max={100}
        value={percent}
        className="mt-2 h-2 w-full appearance-none [&::-webkit-progress-bar]:bg-rule [&::-webkit-progress-value]:bg-ink"
      />
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

function Big({
  action,
  label,
  under,
  disabled = false,
}: {
  readonly action: Action | undefined;
  readonly label: string;
  readonly under: string;
  readonly disabled?: boolean;
}) {
  if (!action) return null;
  return (
    <button
      type="button"
      onClick={action.run}
      disabled={disabled}
      className="relative grid min-h-[74px] place-items-center rounded-sm bg-spot px-3 py-2 text-on-spot hover:brightness-110 disabled:opacity-45"
    >
      <span className="text-[22px] leading-tight font-bold tracking-tight">{label}</span>
      <span className="text-xs">{under}</span>
      {action.key !== null && <kbd className="figure absolute top-1.5 right-2 text-[11px]">{keyText(action.key)}</kbd>}
    </button>
  );
}

function Small({ action, label }: { readonly action: Action | undefined; readonly label: string }) {
  if (!action) return null;
  return (
    <Button onClick={action.run} className="min-h-8">
      {label}
      {action.key !== null && <kbd className="figure ml-1 text-[11px] text-soft">{keyText(action.key)}</kbd>}
    </Button>
  );
}
