"use client";

import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import type { HandoffSummary } from "../../contract/handoff";
import { isOver } from "../../contract/job-progress";
import { byteText } from "../parts/bytes";
import type { ItemEntry } from "../parts/item-menu";
import { itemMenu } from "../parts/item-menu";
import { packageAddress } from "../session/api";
import { useFirstSteps } from "../session/first-steps";
import { useSessionParts } from "../session/provider";
import { Differences } from "./differences";
import { Links } from "./links";
import { whenText } from "../parts/dates";

const MARKS = {
  right: "proven right",
  look: "right, with something to look at",
  wrong: "not right",
} as const;

const LINK = "inline-flex min-h-6 items-center font-semibold text-spot underline underline-offset-2";

/** Earlier handoffs, the newest first: what they are, what changed, and who may fetch them. */
export function History({
  list,
  fault,
}: {
  readonly list: readonly HandoffSummary[] | null;
  readonly fault: string | null;
}) {
  return (
    <section aria-labelledby="handed-on" className="px-5 pt-4 pb-8">
      <h2 id="handed-on" className="text-lg leading-tight font-semibold">
        Earlier handoffs
      </h2>
      {fault !== null && <p className="text-wrong">{fault}</p>}
      {list !== null && list.length === 0 && (
        <p className="mt-1 text-soft">
          Nothing yet. What you export is kept here, with its proof; from here it can be fetched, compared with what you
          export later, and sent on by a private link.
        </p>
      )}
      <ol className="mt-2 space-y-3">
        {(list ?? []).map((handoff, i) => (
          <Entry key={handoff.id} handoff={handoff} others={(list ?? []).slice(i + 1)} newest={i === 0} />
        ))}
      </ol>
    </section>
  );
}

function Entry({
  handoff,
  others,
  newest,
}: {
  readonly handoff: HandoffSummary;
  readonly others: readonly HandoffSummary[];
  readonly newest: boolean;
}) {
  const { id, jobs, bringBack } = useSessionParts((s) => ({ id: s.id, jobs: s.jobs, bringBack: s.bringBack }));
  const placing = Object.values(jobs).find(
    (j) => j.request.kind === "bring back" && j.request.handoff === handoff.id && !isOver(j.status),
  );
  const router = useRouter();
  const [open, setOpen] = useState<"links" | "differences" | null>(newest ? "links" : null);
  const proving = Object.values(jobs).some(
    (j) => j.request.kind === "prove" && j.request.handoff === handoff.id && !isOver(j.status),
  );
  const [previous] = others;
  const gone = handoff.isHere ? null : "The package is not here";
  const entries = (): readonly ItemEntry[] => [
    { label: "Download package", run: () => location.assign(packageAddress(handoff.id)), blocked: gone },
    { label: "Show proof", run: () => router.push(`/s/${id}/proof?handoff=${handoff.id}`) },
    { label: "Private links", run: () => setOpen("links"), blocked: gone },
    {
      label: "Compare with an earlier one",
      run: () => setOpen("differences"),
      blocked: previous ? null : "There is no earlier one",
    },
    {
      label: "Place on the session",
      run: () => void bringBack(handoff.id),
      blocked: gone ?? (handoff.files === 0 ? "It has no audio" : placing ? "It is being placed" : null),
    },
  ];
  const toggle = (what: typeof open) => () => setOpen(open === what ? null : what);
  return (
    <li {...itemMenu(handoff.fileName, entries)} className="border border-rule bg-lift px-3 py-2">
      <p className="flex items-baseline gap-2">
        <span className="figure font-semibold">{whenText(handoff.madeAt)}</span>
        {handoff.receiver !== "" && <span className="text-soft">for {handoff.receiver}</span>}
        <span className={`ml-auto text-xs ${handoff.mark === "wrong" ? "text-wrong" : "text-soft"}`}>
          {handoff.mark ? MARKS[handoff.mark] : proving ? "being proven" : "not proven yet"}
        </span>
      </p>
      <p className="figure truncate text-[13px]" title={handoff.fileName}>
        {handoff.fileName}
      </p>
      <p className="text-xs text-soft">
        {contentsText(handoff)}
        {handoff.full ? "" : ", only what had changed"} · <span className="figure">{byteText(handoff.bytes)}</span>
      </p>
      {handoff.changes.map((text) => (
        <p key={text} className="text-xs">
          {text}
        </p>
      ))}
      <p className="mt-1 flex flex-wrap gap-x-4">
        {handoff.isHere ? (
          <a
            href={packageAddress(handoff.id)}
            download
            onClick={() => useFirstSteps.getState().tick("deliver")}
            className={LINK}
          >
            Download
          </a>
        ) : (
          <span className="text-soft" title="It came with a bundle, which keeps what was in a package, not the package">
            package not here
          </span>
        )}
        <Link href={`/s/${id}/proof?handoff=${handoff.id}`} className={LINK}>
          Proof
        </Link>
        {handoff.isHere && (
          <button type="button" aria-expanded={open === "links"} onClick={toggle("links")} className={LINK}>
            Private links
          </button>
        )}
        {previous && (
          <button type="button" aria-expanded={open === "differences"} onClick={toggle("differences")} className={LINK}>
            Compare
          </button>
        )}
        {handoff.isHere && handoff.files > 0 && (
          <button
            type="button"
            title="Its files onto tracks of their own, muted, lined up by their stamps"
            disabled={placing !== undefined}
            onClick={() => void bringBack(handoff.id)}
            className={LINK}
          >
            Place on the session
          </button>
        )}
        {placing && (
          <span role="status" className="figure text-soft">
            {placing.status === "waiting"
              ? "waits in the queue"
              : `${placing.progress.stage || "placing"}, ${Math.round(placing.progress.done * 100)}%`}
          </span>
        )}
      </p>
      {open === "links" && handoff.isHere && <Links handoff={handoff.id} />}
      {open === "differences" && previous && <Differences handoff={handoff} others={others} />}
    </li>
  );
}

/** `12 files and 2 session files`. */
function contentsText({ files, sessionFiles }: HandoffSummary): string {
  const count = (n: number, what: string) => `${n} ${what}${n === 1 ? "" : "s"}`;
  if (sessionFiles === 0) return count(files, "file");
  return [...(files > 0 ? [count(files, "file")] : []), count(sessionFiles, "session file")].join(" and ");
}
