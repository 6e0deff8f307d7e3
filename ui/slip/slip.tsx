"use client";

import { useEffect, useState } from "react";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import { jobWords } from "../../contract/job-words";
import type { Session } from "../../core/session/document";
import { ClipRow } from "../clips/clip-row";
import { Button } from "../parts/button";
import { useSession, useSessionParts } from "../session/provider";
import { sortSelection } from "../session/selection";
import { trackName, trackStates } from "../session/track-state";
import { FreezeSlip, FrozenSlip } from "./freeze-slip";
import { LastPrint } from "./last-print";
import type { PlannedSlip } from "./print-slip";
import { PrintInShort, PrintSlip, usePrintPlan } from "./print-slip";
import { Recipes } from "./recipes";
import { RunningLine, RunningPrint } from "./running-print";
import { names } from "./sentence";
import { useSlip } from "./slip-store";
import { MainButton, SmallButton, VerbButton } from "./verb-buttons";
import { verbsOf } from "./verbs";

/** Whether the foot of the Bench follows a job: it makes prints. */
const makesPrints = (job: Job): boolean => jobWords[job.request.kind].makesPrints === true;

/**
 * The foot of the Bench: what can be done with what is selected, and what that bakes in; or a print, as one sentence
 * with pickers. `compact`: something else needs the height, so it is one line.
 */
export function Slip({ compact }: { readonly compact: boolean }) {
  const { mode } = useSlip();
  useEffect(() => void useSlip.persist.rehydrate(), []);
  const { slip, plan } = usePrintPlan();
  const isPrinting = mode === "print" && plan !== null;
  const [isWhole, showWhole] = useState(false);
  return (
    <section aria-label="Print slip" className="isolate border-t-2 border-dashed border-ink bg-lift px-5 pt-2.5 pb-2">
      {isPrinting && compact && !isWhole ? (
        <PrintLine slip={slip} plan={plan} onWhole={() => showWhole(true)} />
      ) : isPrinting ? (
        <PrintForm slip={slip} plan={plan} />
      ) : (
        <Verbs compact={compact} />
      )}
    </section>
  );
}

/** A job that makes prints and is not over. */
const useRunning = (): Job | undefined =>
  useSession((s) => Object.values(s.jobs).find((j) => makesPrints(j) && !isOver(j.status)));

/** A print in full, with its button beside it. */
function PrintForm({ slip, plan }: PlannedSlip) {
  const running = useRunning();
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_212px] gap-x-8">
      <div className="flex min-w-0 flex-col">
        <PrintSlip slip={slip} plan={plan} />
        <Below />
      </div>
      <div className="flex flex-col gap-2">
        {running ? (
          <RunningPrint job={running} />
        ) : (
          <>
            <MainButton id="print" label="Print" under={sayFiles(plan)} disabled={!plan.ok} />
            <Recipes />
            <SmallButton id="slip" label="Close the slip" />
          </>
        )}
      </div>
    </div>
  );
}

const sayFiles = (plan: PlannedSlip["plan"]): string =>
  !plan.ok
    ? "see what is in the way"
    : plan.value.files.length === 1
      ? "one file"
      : `${plan.value.files.length} files in one pass`;

/** A print in one line: what, where it is tapped, and its button. */
function PrintLine({ slip, plan, onWhole }: PlannedSlip & { readonly onWhole: () => void }) {
  const running = useRunning();
  if (running) return <RunningLine job={running} />;
  return (
    <div className="flex items-center gap-3">
      <p className="min-w-0 flex-1 truncate text-[15px]">
        <PrintInShort slip={slip} plan={plan} />
      </p>
      <Button onClick={onWhole}>Show the whole slip</Button>
      <SmallButton id="slip" label="Close the slip" />
      <VerbButton verb={{ id: "print", label: "Print", about: sayFiles(plan) }} isFirst compact disabled={!plan.ok} />
    </div>
  );
}

/** What can be done with the selection or the session, a button each; under them what the first one bakes in. */
function Verbs({ compact }: { readonly compact: boolean }) {
  const { session, selected } = useSessionParts((s) => ({ session: s.session, selected: s.selected }));
  const running = useRunning();
  const verbs = verbsOf(session, selected);
  const { toFreeze, frozen, parked } = sortSelection(session, selected);
  return (
    <>
      {running ? (
        <RunningLine job={running} />
      ) : (
        <div role="group" aria-label="What to do" className={`flex ${compact ? "justify-end gap-1.5" : "gap-2"}`}>
          {compact && <Chosen />}
          {verbs.map((verb, i) => (
            <VerbButton key={verb.id} verb={verb} isFirst={i === 0} compact={compact} />
          ))}
        </div>
      )}
      {!compact && (
        <>
          {toFreeze.length > 0 ? (
            <FreezeSlip tracks={toFreeze} session={session} />
          ) : frozen.length > 0 ? (
            <FrozenSlip tracks={frozen} session={session} />
          ) : parked.length > 0 ? (
            <p className="mt-2 text-[13px]">
              <b>{names(parked)}</b> {parked.length === 1 ? "is parked: it computes" : "are parked: they compute"}{" "}
              nothing and {parked.length === 1 ? "keeps" : "keep"} everything. Unpark to hear the live source again,
              beside its print.
            </p>
          ) : selected.length === 0 ? (
            <HeavyHint session={session} />
          ) : null}
          <Below />
        </>
      )}
    </>
  );
}

/** The selected clip in numbers, and the last print with its facts. */
function Below() {
  const running = useRunning();
  const { session, jobs, selectedClip } = useSessionParts((s) => ({
    session: s.session,
    jobs: s.jobs,
    selectedClip: s.selectedClip,
  }));
  const last = lastPrintOf(jobs);
  return (
    <>
      {selectedClip && (
        <div className="flex items-center gap-4 pt-1 text-[11.5px] text-soft">
          <ClipRow session={session} chosen={selectedClip} />
        </div>
      )}
      {last && !running && (
        <div className="flex items-center gap-4 pt-0.5 text-[11.5px] text-soft">
          <LastPrint job={last} session={session} />
        </div>
      )}
    </>
  );
}

/** In one line with the verbs: the numbers of the selected clip, or else the last print. */
function Chosen() {
  const { session, selectedClip, jobs } = useSessionParts((s) => ({
    session: s.session,
    selectedClip: s.selectedClip,
    jobs: s.jobs,
  }));
  const last = lastPrintOf(jobs);
  return (
    <div className="flex min-w-0 flex-1 items-center gap-4 overflow-x-auto text-[11.5px] text-soft">
      {selectedClip ? (
        <ClipRow session={session} chosen={selectedClip} />
      ) : (
        last && <LastPrint job={last} session={session} />
      )}
    </div>
  );
}

const lastPrintOf = (jobs: Readonly<Record<string, Job>>): Job | undefined =>
  Object.values(jobs).findLast((j) => makesPrints(j) && j.status === "done");

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
