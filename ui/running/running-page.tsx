"use client";

import Link from "next/link";
import { useEffect, useState, type ReactNode } from "react";
import type { HealthPart } from "../../contract/health";
import type { Running } from "../../contract/running";
import { formatNumber } from "../../core/words/numbers";
import { byteText } from "../parts/bytes";
import { whenText } from "../parts/dates";
import { api } from "../session/api";

const ASK_EVERY_MS = 3000;

/** Parts of the whole in the order in which one leans on the other. */
const PARTS = [
  { key: "database", name: "Database" },
  { key: "store", name: "Audio store" },
  { key: "queue", name: "Queue" },
  { key: "workers", name: "Render processes" },
] as const;

/** System status: parts, queue, last failures. Fetched again every few seconds. */
export function RunningPage() {
  const [state, setState] = useState<Running | null>(null);
  const [isAway, setAway] = useState(false);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    let gone = false;
    const ask = async () => {
      try {
        const now = await api.running();
        if (gone) return;
        setState(now);
        setAway(false);
      } catch {
        if (!gone) setAway(true);
      }
      if (!gone) timer = setTimeout(() => void ask(), ASK_EVERY_MS);
    };
    void ask();
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, []);
  return (
    <div className="grid h-screen grid-rows-[44px_minmax(0,1fr)]">
      <header data-strip className="flex items-center gap-4 bg-strip pr-3 pl-4 text-on-strip">
        <Link href="/" className="text-[17px] font-extrabold tracking-tight" title="All sessions">
          Stemzo
        </Link>
        <span className="text-[13.5px] font-bold">How it runs</span>
      </header>
      <main className="overflow-y-auto px-8 pt-8 pb-12" data-running={state !== null || undefined}>
        <div className="mx-auto max-w-[1100px]">
          <h1 className="text-3xl font-bold tracking-tight">
            {isAway
              ? "The server does not answer"
              : state === null
                ? " "
                : state.health.ok
                  ? "All of it runs"
                  : "Something is wrong"}
          </h1>
          <p className="mt-1 text-soft">
            {isAway
              ? "What is below is as it was last. It is asked again every few seconds."
              : state === null || state.health.ok
                ? "Asked anew every three seconds. The same is at /api/running, for machines at /api/metrics."
                : "What has not answered for 20 seconds is ended and started again by itself; what was acknowledged is " +
                  "on the disk. If it stays like this, see the logs, and make room where the disk is full."}
          </p>
          {state && <Health health={state.health} />}
          {state?.now && <Facts state={state.now} isRoomy={state.health.store.ok} />}
          <p className="mt-10 text-soft">
            <a href="/licences" className="underline hover:text-ink">
              Licences of third-party packages
            </a>
          </p>
        </div>
      </main>
    </div>
  );
}

const Health = ({ health }: Pick<Running, "health">) => (
  <dl className="mt-6 grid grid-cols-4 border-t-2 border-ink">
    {PARTS.map(({ key, name }) => (
      <Part key={key} name={name} part={health[key]} />
    ))}
  </dl>
);

/** `isRoomy`: there is room on the disk for what may come. */
function Facts({ state, isRoomy }: { readonly state: NonNullable<Running["now"]>; readonly isRoomy: boolean }) {
  const { jobs, disk, failures } = state;
  return (
    <>
      <dl className="mt-8 grid grid-cols-6 gap-y-5 border-t border-rule pt-4">
        <Figure name="under way">{jobs.running}</Figure>
        <Figure name="waiting">{jobs.waiting}</Figure>
        <Figure name="done">{jobs.done}</Figure>
        <Figure name="cancelled">{jobs.cancelled}</Figure>
        <Figure name="failed" isBad={jobs.failed > 0}>
          {jobs.failed}
        </Figure>
        <Figure name="exports, times real time">
          {state.speed === null ? "–" : `${formatNumber(state.speed, state.speed < 10 ? 1 : 0)}x`}
        </Figure>
        <Figure name="audio kept">{byteText(state.storeBytes)}</Figure>
        <Figure name="free on the disk" isBad={!isRoomy}>
          {byteText(disk.freeBytes)}
        </Figure>
        <Figure name="size of the disk">{byteText(disk.bytes)}</Figure>
      </dl>
      <h2 className="eyebrow mt-10">Render processes</h2>
      <table className="mt-2 w-full border-t border-rule text-left">
        <tbody>
          {state.workers.length === 0 && (
            <tr className="border-b border-rule">
              <td className="py-1.5 text-wrong">No worker is running; jobs wait in the queue.</td>
            </tr>
          )}
          {state.workers.map((w, i) => (
            <tr key={i} className="border-b border-rule">
              <td className="w-72 py-1.5">{w.host || "this machine"}</td>
              <td className={w.isAlive ? "text-soft" : "text-wrong"}>
                {w.isAlive ? "lives" : "silent"}, heard {whenText(w.seenAt)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="eyebrow mt-10">Last failures</h2>
      <table className="mt-2 w-full border-t border-rule text-left">
        <tbody>
          {failures.length === 0 && (
            <tr className="border-b border-rule">
              <td className="py-1.5 text-soft">Nothing.</td>
            </tr>
          )}
          {failures.map((f) => (
            <tr key={f.job} className="border-b border-rule align-top">
              <td className="w-40 py-1.5 whitespace-nowrap text-soft">{whenText(f.at)}</td>
              <td className="w-32 py-1.5">{f.kind}</td>
              <td className="py-1.5 pr-4">
                {f.fault.what} <span className="text-soft">{f.fault.todo}</span>
              </td>
              <td className="w-56 py-1.5">
                {f.session !== null && (
                  <Link href={`/s/${f.session}`} className="underline underline-offset-4">
                    {f.sessionName || "the session"}
                  </Link>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

const Part = ({ name, part }: { readonly name: string; readonly part: HealthPart }) => (
  <div className="border-b border-rule py-3 pr-6">
    <dt className="flex items-center gap-2 font-semibold">
      <span aria-hidden className={`size-2.5 ${part.ok ? "rounded-full bg-spot" : "bg-wrong"}`} />
      {name}
    </dt>
    <dd className={part.ok ? "text-soft" : "text-wrong"}>{part.says}</dd>
  </div>
);

const Figure = ({
  name,
  isBad = false,
  children,
}: {
  readonly name: string;
  readonly isBad?: boolean;
  readonly children: ReactNode;
}) => (
  <div className="flex flex-col-reverse">
    <dt className="text-xs text-soft">{name}</dt>
    <dd className={`figure text-2xl font-semibold ${isBad ? "text-wrong" : ""}`}>{children}</dd>
  </div>
);
