"use client";

import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { toast } from "sonner";
import type { Candidate } from "../../contract/intake";
import { Button } from "../parts/button";
import { useAwake } from "../parts/use-awake";
import { ProgressBar } from "../parts/progress-bar";
import { DropArea, Invitation } from "./drop-area";
import { chosenMends, isRepaired } from "../../core/mending/choice";
import { useCheck } from "./check-store";
import { Facts } from "./facts";
import { Fault } from "./fault";
import { LineUp } from "./line-up";
import { SetCheck, isSet } from "./set-check";
import { chosenOf, useIntake } from "./store";
import { KIND_WORDS, answersText, contentsOf, lossesText, missingOf } from "./words";

/** Import: what it is, how it lines up, what is missing or lost; then it is opened, or laid on a session. */
export function IntakeScreen() {
  const { stage, arrival, add, clear, fault, into } = useIntake();
  const candidate = useIntake(chosenOf);
  const awake = useAwake<HTMLElement>();
  const [view, setView] = useState<View>("check");
  const isChecking = candidate !== null && view === "check" && into === null && isSet(candidate);
  const drop = useCheck((s) => s.drop);
  const busy = stage === "sending" || stage === "looking" || stage === "taking in";
  return (
    <DropArea
      onFiles={(files) => void add(files)}
      className="grid h-screen grid-cols-[minmax(0,1fr)] grid-rows-[44px_minmax(0,1fr)]"
    >
      <header ref={awake} data-strip className="flex items-center gap-4 bg-strip pr-3 pl-4 text-on-strip">
        <Link href="/" className="text-[17px] font-extrabold tracking-tight" title="All sessions">
          Stemzo
        </Link>
        <h1 className="text-[13.5px] font-bold">Import</h1>
        {into && <span className="text-on-strip-soft">for {into.name}</span>}
        <span className="flex-1" />
        {arrival && (
          <Button
            kind="quiet"
            className="!text-on-strip-soft hover:!bg-on-strip/15"
            onClick={() => {
              drop();
              clear();
            }}
          >
            Start over
          </Button>
        )}
      </header>
      {arrival ? (
        <main className="grid min-h-0 grid-cols-[264px_minmax(0,1fr)_320px] grid-rows-[minmax(0,1fr)_auto]">
          <Ways />
          <section
            aria-label={isChecking ? "Check and repair" : "How it lines up"}
            className={`min-h-0 overflow-auto px-5 py-4 ${isChecking ? "col-span-2" : ""}`}
          >
            {candidate && isSet(candidate) && <Views view={view} onView={setView} />}
            {candidate && isChecking ? (
              <SetCheck candidate={candidate} />
            ) : candidate ? (
              <LineUp candidate={candidate} />
            ) : (
              <p className="text-lg font-semibold">There is nothing here that can be opened.</p>
            )}
          </section>
          {!isChecking && (
            <section aria-label="What to know" className="min-h-0 overflow-auto border-l border-ink px-5 py-4">
              {fault && <Fault {...fault} />}
              {candidate && <Facts candidate={candidate} arrival={arrival} />}
              {!candidate && (
                <ul className="grid gap-2">
                  {arrival.left.map((l, i) => (
                    <li key={i}>
                      <b className="break-words">{l.path}</b>
                      <span className="block text-soft">{l.why}</span>
                    </li>
                  ))}
                </ul>
              )}
            </section>
          )}
          <footer className="col-span-3 flex min-h-[76px] items-center gap-4 border-t-2 border-dashed border-ink bg-lift px-5 py-3">
            {busy ? (
              <Busy />
            ) : (
              candidate &&
              (isChecking ? (
                <Mending key={candidate.id} candidate={candidate} />
              ) : (
                <Opening key={candidate.id} candidate={candidate} />
              ))
            )}
          </footer>
        </main>
      ) : (
        <main className="mx-auto w-full max-w-3xl px-6 pt-16">
          {busy ? (
            <Busy />
          ) : (
            <>
              {fault && <Fault {...fault} />}
              <Invitation onFiles={(files) => void add(files)} />
            </>
          )}
        </main>
      )}
    </DropArea>
  );
}

type View = "check" | "line up";
const VIEWS = { check: "Check and repair", "line up": "How it lines up" } as const;

function Views({ view, onView }: { readonly view: View; readonly onView: (view: View) => void }) {
  return (
    <div role="tablist" className="mb-4 flex gap-5 border-b border-rule">
      {(["check", "line up"] as const).map((v) => (
        <button
          key={v}
          type="button"
          role="tab"
          aria-selected={v === view}
          onClick={() => onView(v)}
          className={`-mb-px border-b-2 pb-1.5 font-semibold ${v === view ? "border-ink" : "border-transparent text-soft hover:text-ink"}`}
        >
          {VIEWS[v]}
        </button>
      ))}
    </div>
  );
}

/** What becomes of a checked set: repaired and delivered where something is wrong with it, else a session. */
function Mending({ candidate }: { readonly candidate: Candidate }) {
  const router = useRouter();
  const { mend, clear, fault } = useIntake();
  const { result, without, names, drop } = useCheck();
  const [name, setName] = useState(candidate.name);
  const judged = result ? chosenMends(result.judged, without, names) : null;
  const repairs = judged !== null && isRepaired(judged);
  const go = async (handOn: boolean) => {
    if (!judged) return;
    const session = await mend({ name, judged, handOn });
    if (session === null) return;
    router.push(handOn ? `/s/${session}/handoff` : `/s/${session}`);
    drop();
    clear();
  };
  return (
    <>
      <div className="flex min-w-0 flex-1 items-center gap-4">
        <label className="flex items-center gap-2">
          <span className="eyebrow">Name</span>
          <input
            value={name}
            onChange={(e) => setName(e.target.value)}
            aria-label="Name of the repaired set"
            maxLength={200}
            className="h-8 w-56 rounded-sm border border-rule bg-paper px-2 hover:border-ink"
          />
        </label>
        {fault ? (
          <span role="alert" className="font-semibold text-wrong">
            {fault.what} {fault.todo}
          </span>
        ) : (
          <span className="text-soft">Your files stay as they are.</span>
        )}
      </div>
      <Button className="min-h-10 px-4 text-[14px]" disabled={!judged} onClick={() => void go(!repairs)}>
        {repairs ? "Open repaired" : "Deliver as they are"}
      </Button>
      <button
        type="button"
        disabled={!judged}
        onClick={() => void go(repairs)}
        className="min-h-[52px] rounded-sm bg-spot px-6 text-[18px] font-bold tracking-tight text-on-spot hover:brightness-110 disabled:opacity-45"
      >
        {repairs ? "Repair and deliver" : "Open as a session"}
      </button>
    </>
  );
}

/** Every way in which what arrived can be opened, the best one first. */
function Ways() {
  const { arrival, chosen, choose } = useIntake();
  return (
    <section aria-labelledby="ways" className="min-h-0 overflow-auto border-r border-ink px-4 pt-4 pb-6">
      <h2 id="ways" className="text-lg leading-tight font-semibold">
        Open it as
      </h2>
      <ul className="mt-2 divide-y divide-rule border-y border-rule">
        {arrival?.candidates.map((c) => {
          const missing = missingOf(c).length;
          return (
            <li key={c.id} className={c.id === chosen ? "bg-spot-wash" : ""}>
              <button
                type="button"
                aria-pressed={c.id === chosen}
                onClick={() => choose(c.id)}
                className="w-full px-2 py-2 text-left hover:bg-shade"
              >
                <b className="block font-semibold">{KIND_WORDS[c.kind].name}</b>
                <span className="block truncate text-xs text-soft" title={c.path}>
                  {c.path === "" ? KIND_WORDS[c.kind].about : c.path.replace(/^.*\//, "")}
                </span>
                <span className="figure block text-xs">{contentsOf(c)}</span>
                {missing > 0 && (
                  <span className="block text-xs font-semibold text-wrong">
                    {missing} {missing === 1 ? "file" : "files"} missing
                  </span>
                )}
              </button>
            </li>
          );
        })}
      </ul>
      <p className="mt-3 text-xs leading-snug text-soft">Drop more files anywhere on this page: they are added.</p>
    </section>
  );
}

function Busy() {
  const { done, says, stage, cancel } = useIntake();
  return (
    <>
      <div className="min-w-0 flex-1">
        <p className="truncate font-semibold">
          {says || stage} <span className="figure font-normal">{Math.round(done * 100)}%</span>
        </p>
        <ProgressBar label="Importing" done={done} className="mt-1.5 w-full" />
      </div>
      <Button className="mt-2" onClick={cancel}>
        Cancel
      </Button>
    </>
  );
}

/** How it is opened, and the button that does it. */
function Opening({ candidate }: { readonly candidate: Candidate }) {
  const router = useRouter();
  const { into, takeIn, clear } = useIntake();
  const [name, setName] = useState(candidate.name);
  const [joinPairs, setJoinPairs] = useState(true);
  const [withTempo, setWithTempo] = useState(false);
  const [muted, setMuted] = useState(false);
  const open = async (target: string | null) => {
    const session = await takeIn({ name, into: target, joinPairs, withTempo, muted });
    if (session === null) return;
    const said = answersText(useIntake.getState().answers);
    if (said !== "") toast(said, { duration: 20_000 });
    const lost = lossesText(useIntake.getState().losses);
    if (lost) toast(lost.title, { description: lost.description, duration: 20_000 });
    router.push(`/s/${session}`);
    clear();
  };
  return (
    <>
      <div className="flex min-w-0 flex-1 flex-wrap items-center gap-x-5 gap-y-1.5">
        <label className="flex items-center gap-2">
          <span className="eyebrow">Session</span>
          <input
            value={name}
            onChange={(e) => setName(e.target.value)}
            aria-label="Name of the new session"
            maxLength={200}
            className="h-8 w-64 rounded-sm border border-rule bg-paper px-2 hover:border-ink"
          />
        </label>
        {candidate.pairs.length > 0 && (
          <Tick checked={joinPairs} onChange={setJoinPairs}>
            join {candidate.pairs.length} left/right {candidate.pairs.length === 1 ? "pair" : "pairs"}
          </Tick>
        )}
        {into && candidate.kind !== "bundle" && (
          <>
            {candidate.tempo && (
              <Tick checked={withTempo} onChange={setWithTempo}>
                take tempo and meter over
              </Tick>
            )}
            <Tick checked={muted} onChange={setMuted}>
              muted
            </Tick>
          </>
        )}
      </div>
      {into && candidate.kind !== "bundle" && (
        <Button className="min-h-10 px-4 text-[14px]" onClick={() => void open(into.id)}>
          Place on {into.name}
        </Button>
      )}
      <button
        type="button"
        onClick={() => void open(null)}
        className="min-h-[52px] rounded-sm bg-spot px-6 text-[18px] font-bold tracking-tight text-on-spot hover:brightness-110"
      >
        Open as a new session
      </button>
    </>
  );
}

const Tick = ({
  checked,
  onChange,
  children,
}: {
  readonly checked: boolean;
  readonly onChange: (checked: boolean) => void;
  readonly children: React.ReactNode;
}) => (
  <label className="flex h-8 items-center gap-1.5">
    <input
      type="checkbox"
      className="size-4 accent-[var(--spot)]"
      checked={checked}
      onChange={(e) => onChange(e.target.checked)}
    />
    {children}
  </label>
);
