"use client";

import { Download } from "lucide-react";
import Link from "next/link";
import { useSearchParams } from "next/navigation";
import { Suspense, useEffect } from "react";
import type { Handoff, HandoffSummary } from "../../contract/handoff";
import { isOver } from "../../contract/job-progress";
import type { Proof as ProofFound } from "../../core/proof/proof";
import type { Mark } from "../../core/proof/judge";
import { formatClock } from "../../core/time/clock";
import { depthName } from "../../core/units";
import { Button } from "../parts/button";
import { ProgressBar } from "../parts/progress-bar";
import { byteText } from "../parts/bytes";
import { audioAddress, packageAddress } from "../session/api";
import { useFirstSteps } from "../session/first-steps";
import { useSession, useSessionParts } from "../session/provider";
import { useHandoffs } from "../session/use-handoffs";
import { FilesMatrix } from "./files-matrix";
import { LoudnessChart, ResidualChart } from "./charts";
import { Listen } from "./listen";

/** The measured evidence for an export: every file read back from the package and asked the same questions. */
export function Proof() {
  return (
    <Suspense>
      <ProofScreen />
    </Suspense>
  );
}

function ProofScreen() {
  const asked = useSearchParams().get("handoff");
  const { list, chosen, fault } = useHandoffs(asked);
  const isProven = (chosen?.proof ?? null) !== null;
  useEffect(() => {
    if (isProven) useFirstSteps.getState().tick("proof");
  }, [isProven]);
  const id = useSession((s) => s.id);
  if (fault !== null) return <main className="p-8 text-wrong">{fault}</main>;
  if (list === null)
    return (
      <main aria-busy className="p-8 text-soft">
        Reading the proof …
      </main>
    );
  if (!chosen) {
    return (
      <main className="mx-auto mt-24 max-w-lg">
        <h1 className="text-[26px] font-bold tracking-tight">Nothing to prove yet</h1>
        <p className="mt-2 text-base text-soft">
          When stems are exported, the finished package is read back from disk and measured here: lengths, starts,
          levels, offsets, and whether the stems add up to the mix.
        </p>
        <Link
          href={`/s/${id}/stems`}
          className="mt-5 inline-block text-base font-semibold text-spot underline underline-offset-4"
        >
          Go to the stem sheet
        </Link>
      </main>
    );
  }
  const { proof } = chosen;
  if (!proof) return <Unproven handoff={chosen} list={list} />;
  return (
    <main className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
      <div>
        <Verdict handoff={chosen} proof={proof} list={list} />
        <Listen key={chosen.id} handoff={chosen} />
      </div>
      <div className="min-h-0 overflow-auto pb-8">
        <FilesMatrix proof={proof} />
        <div className="mt-6 grid grid-cols-2 gap-8 px-5">
          <ResidualChart proof={proof} />
          <LoudnessChart proof={proof} />
        </div>
      </div>
    </main>
  );
}

const VERDICTS: Record<Mark, string> = {
  right: "Right: everything that was promised holds.",
  look: "Right, with something to look at.",
  wrong: "Not right: do not send this.",
};

/** A package that is there to be fetched, and not proven yet. */
function Unproven({ handoff, list }: { readonly handoff: Handoff; readonly list: readonly HandoffSummary[] }) {
  const { jobs, prove, cancel } = useSessionParts((s) => ({ jobs: s.jobs, prove: s.prove, cancel: s.cancel }));
  const job = Object.values(jobs).find(
    (j) => j.request.kind === "prove" && j.request.handoff === handoff.id && !isOver(j.status),
  );
  const percent = Math.round((job?.progress.done ?? 0) * 100);
  return (
    <main>
      <header className="flex items-end gap-6 border-b border-ink px-5 pt-4 pb-3">
        <div className="min-w-0 flex-1">
          <h1 className="text-[26px] leading-none font-bold tracking-tight">
            {job ? "Being proven." : "Not proven yet."}
          </h1>
          <p className="mt-1.5 truncate text-soft">
            <b className="text-ink">{handoff.fileName}</b>, <span className="figure">{byteText(handoff.bytes)}</span> ·{" "}
            {handoff.manifest.files.length} files{list.length > 1 && <Earlier handoff={handoff} list={list} />}
          </p>
        </div>
        <PackageLink id={handoff.id} />
      </header>
      <section className="mx-auto mt-16 max-w-lg">
        <p className="text-base">
          Every file is read back from the package, measured, and held from its first frame to its last to a fresh
          render of the session. The package can be fetched meanwhile.
        </p>
        {job ? (
          <div className="mt-5 flex items-center gap-4">
            <ProgressBar label="Proving" done={job.progress.done} className="flex-1" />
            <span className="figure w-12 text-right">{percent}%</span>
            <Button onClick={() => void cancel(job.id)}>Cancel</Button>
          </div>
        ) : (
          <Button onClick={() => void prove(handoff.id)}>Prove it</Button>
        )}
      </section>
    </main>
  );
}

const PackageLink = ({ id }: { readonly id: string }) => (
  <a
    href={packageAddress(id)}
    download
    className="inline-flex min-h-11 items-center gap-2 rounded-sm bg-spot px-5 text-base font-bold text-on-spot hover:brightness-110"
  >
    <Download size={17} aria-hidden /> Download
  </a>
);

function Verdict({
  handoff,
  proof,
  list,
}: {
  readonly handoff: Handoff;
  readonly proof: ProofFound;
  readonly list: readonly HandoffSummary[];
}) {
  const { manifest, zipBytes, verdict } = proof;
  // What stands beside the files counts, too: the sum, and what lies beside the audio.
  const cells = [...verdict.checks.flatMap((c) => c.cells), verdict.sum, ...(verdict.beside ? [verdict.beside] : [])];
  const count = (mark: Mark) => cells.filter((c) => c.mark === mark).length;
  const depth = depthName(manifest.depth);
  return (
    <header className="flex items-end gap-6 border-b border-ink px-5 pt-4 pb-3">
      <div className="min-w-0 flex-1">
        <h1
          className={`text-[26px] leading-none font-bold tracking-tight ${verdict.mark === "wrong" ? "text-wrong" : ""}`}
        >
          {VERDICTS[verdict.mark]}
        </h1>
        <p className="mt-1.5 truncate text-soft">
          <b className="text-ink">{handoff.fileName}</b>, <span className="figure">{byteText(zipBytes)}</span>, read
          back from disk · {manifest.files.length} files · <span className="figure">{manifest.rate / 1000} kHz</span> ·{" "}
          {depth} · <span className="figure">{formatClock(manifest.frames / manifest.rate)}</span> · rendered at{" "}
          <span className="figure">{handoff.speed.toFixed(1)}x</span> real time
        </p>
        {verdict.beside && (
          <p className={`mt-0.5 truncate ${verdict.beside.mark === "wrong" ? "text-wrong" : "text-soft"}`}>
            Beside the audio: {verdict.beside.text}
          </p>
        )}
      </div>
      <p className="text-right text-xs text-soft">
        <span className="figure text-ink">{count("right")}</span> right ·{" "}
        <span className="figure text-ink">{count("look")}</span> to look at ·{" "}
        <span className="figure text-ink">{count("wrong")}</span> wrong
        <br />
        {handoff.whole && (
          <a
            href={audioAddress(handoff.whole)}
            download={`mix ${manifest.whole ?? ""}.wav`}
            className="text-spot underline underline-offset-2"
          >
            mix {manifest.whole}, as a file
          </a>
        )}
        {list.length > 1 && <Earlier handoff={handoff} list={list} />}
      </p>
      <PackageLink id={handoff.id} />
    </header>
  );
}

/** Other exports of this session, by when they were made. */
function Earlier({ handoff, list }: { readonly handoff: Handoff; readonly list: readonly HandoffSummary[] }) {
  return (
    <span className="mt-1 flex flex-wrap justify-end gap-x-2">
      {list.slice(0, 5).map((h) => {
        const when = h.madeAt.slice(5, 16).replace("T", " ");
        return h.id === handoff.id ? (
          <b key={h.id} className="figure text-ink">
            {when}
          </b>
        ) : (
          <Link key={h.id} href={`?handoff=${h.id}`} className="figure text-spot underline underline-offset-2">
            {when}
          </Link>
        );
      })}
    </span>
  );
}
