"use client";

import { useEffect, useMemo } from "react";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job";
import { declarationOfJob } from "../../contract/job-kinds";
import type { Session } from "../../core/session/document";
import { paceText } from "../session/job-pace";
import { keyText, type Action } from "../actions/action";
import { sessionActions } from "../actions/session-actions";
import { useActionContext } from "../actions/use-action-context";
import { Button } from "../parts/button";
import { sortSelection } from "../session/selection";
import { ClipRow } from "../clips/clip-row";
import { LastPrint } from "./last-print";
import { Recipes } from "./recipes";
import { PrintSlip, usePrintPlan } from "./print-slip";
import { useSlip } from "./slip-store";
import { useSession, useSessionParts } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";
import { FreezeSlip, FrozenSlip } from "./freeze-slip";
import { Sentence, Said, names } from "./sentence";
import { printActions } from "./print-actions";

const actions = new Map([...sessionActions, ...printActions].map((a) => [a.id, a]));

/** Whether the foot of the Bench follows a job: it makes prints. */
const makesPrints = (job: Job): boolean => declarationOfJob(job.request.kind).makesPrints === true;

/**
 * The foot of the Bench: one sentence that says what will be printed, what that bakes in, and the button that does it.
 */
export function Slip() {
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
  const some = tracks.length > 0;

  return (
    <section
      aria-label="Print slip"
      className="grid min-h-[196px] grid-cols-[minmax(0,1fr)_212px] gap-x-8 border-t-2 border-dashed border-ink bg-lift px-5 pt-3.5 pb-3"
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
        {selectedClip && (
          <div className="mt-auto flex items-center gap-4 pt-1 text-[11.5px] text-soft">
            <ClipRow session={session} chosen={selectedClip} />
          </div>
        )}
        <div className={`${selectedClip ? "" : "mt-auto"} flex items-center gap-4 text-[11.5px] text-soft`}>
          {last && !running && <LastPrint job={last} session={session} />}
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
  const context = useActionContext();
  if (!action) return null;
  return (
    <button
      type="button"
      onClick={() => action.run(context)}
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
  const context = useActionContext();
  if (!action) return null;
  return (
    <Button onClick={() => action.run(context)} className="min-h-8">
      {label}
      {action.key !== null && <kbd className="figure ml-1 text-[11px] text-soft">{keyText(action.key)}</kbd>}
    </Button>
  );
}
