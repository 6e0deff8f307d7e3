"use client";

import type { Job } from "../../contract/job";
import type { ResultOf } from "../../contract/job-kinds";
import type { PrintedFacts } from "../../contract/jobs/kind";
import { mendingEdits } from "../../core/printing/findings";
import { sayPrintFinding } from "../../core/words/print-findings";
import type { Session } from "../../core/session/document";
import { formatClock } from "../../core/time/clock";
import { Floating } from "../parts/floating";
import { itemMenu, type ItemEntry } from "../parts/item-menu";
import { formatNumber } from "../../core/words/numbers";
import { TWICE_LU } from "../../core/analysis/measure";
import { barOf, clockOf } from "../session/clock";
import { useSession, useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { SaveFile } from "../shelf/save-file";
import { HearEdge } from "./hear-edge";
import { HearPrint } from "./hear-print";

const level = (db: number | null): string => (db === null ? "none" : `${formatNumber(db, 1)} dBFS`);

/** What the last print turned out to be, what was found in it, and whether the session sounds the same with it. */
export function LastPrint({ job, session }: { readonly job: Job; readonly session: Session }) {
  const { select } = useSessionParts((s) => ({ select: s.select }));
  const { result } = job;
  if (result?.kind === "freeze") {
    const [first] = result.prints;
    if (!first) return null;
    const track = session.tracks.find((t) => t.id === first.track);
    return (
      <Measures
        name={result.prints.length === 1 ? (track ? trackName(track) : "print") : `${result.prints.length} prints`}
        facts={result.prints.length === 1 ? { ...first, rate: session.rate, seam: null } : null}
        speed={result.speed}
        since={result.since}
      />
    );
  }
  if (result?.kind !== "print" && result?.kind !== "refresh") return null;
  const [first] = result.prints;
  if (!first) return null;
  const asset = session.assets.find((a) => a.id === first.asset);
  const on = session.tracks.filter((t) => t.clips.some((c) => c.kind === "audio" && c.asset === first.asset));
  // The menu presses what stands beside it.
  const entries = (line: Element): readonly ItemEntry[] => {
    const press = (what: string) => () => line.querySelector<HTMLElement>(`[data-press=${what}]`)?.click();
    return [
      ...(line.querySelector("[data-press=hear]") ? [{ label: "Compare before and after…", run: press("hear") }] : []),
      { label: "Save as a file…", run: press("save"), blocked: asset ? null : "Its audio is not in the session" },
      {
        label: "Show on its track",
        run: () => select(on.map((t) => t.id)),
        blocked: on.length > 0 ? null : "It is on no track",
      },
    ];
  };
  return (
    <div className="contents" {...itemMenu(`Print ${first.name}`, entries)}>
      <Measures
        name={result.prints.length === 1 ? first.name : `${result.prints.length} files`}
        facts={result.prints.length === 1 ? first : null}
        speed={result.speed}
        since={result.since}
        brief={result.kind === "print"}
        mono={asset?.channels === 1}
      />
      {result.kind === "print" && <Sameness job={job} />}
      {result.kind === "print" && first.print !== "" && (
        <span className="shrink-0">
          <HearPrint print={first.print} name={first.name} />
        </span>
      )}
      {asset && (
        <SaveFile
          asset={asset}
          from={first.from}
          trigger={
            <button type="button" data-press="save" className="min-h-6 shrink-0 text-spot underline underline-offset-2">
              save as a file
            </button>
          }
        />
      )}
      <Findings prints={result.prints} session={session} />
    </div>
  );
}

type Facts = Pick<PrintedFacts, "frames" | "rate" | "tailFrames" | "peakDb" | "lufs" | "seam">;

/** `brief`: much else stands in the same line, so how fast it was is told when it is pointed at. */
function Measures({
  name,
  facts,
  speed,
  since,
  brief = false,
  mono = false,
}: {
  readonly name: string;
  readonly facts: Facts | null;
  readonly speed: number | null;
  readonly since: ResultOf<"print">["since"];
  readonly brief?: boolean;
  readonly mono?: boolean;
}) {
  const session = useSession((s) => s.session);
  const pace =
    speed === null
      ? ", as printed before"
      : since
        ? `, from bar ${barOf(clockOf(session), since.at)} on, ${since.tookS.toFixed(1)} s`
        : `, ${speed.toFixed(1)}x real time`;
  return (
    <span
      className="min-w-0 truncate"
      title={
        facts
          ? `${formatClock(facts.frames / facts.rate)}, tail ${(facts.tailFrames / facts.rate).toFixed(1)} s, peak ${level(facts.peakDb)}${facts.lufs === null ? "" : `, ${formatNumber(facts.lufs, 1)} LUFS${mono ? ` of its one channel, ${formatNumber(facts.lufs + TWICE_LU, 1)} as played in the middle` : ""}`}${pace}`
          : undefined
      }
    >
      Last print: <b className="text-ink">{name}</b>
      {facts && (
        <span className="figure">
          {" "}
          {formatClock(facts.frames / facts.rate)}, tail {(facts.tailFrames / facts.rate).toFixed(1)} s, peak{" "}
          {level(facts.peakDb)}
          {facts.lufs === null ? "" : `, ${formatNumber(facts.lufs, 1)} LUFS`}
        </span>
      )}
      {facts?.seam && (
        <>
          , seam{" "}
          <span
            className="figure"
            title="From its last sample to its first; beside it the largest step of the sound near by"
          >
            {level(facts.seam.jumpDb)}
          </span>{" "}
          of <span className="figure">{level(facts.seam.slopeDb)}</span>
        </>
      )}
      {(speed === null || since || !brief || !facts) && <span className={speed === null ? "" : "figure"}>{pace}</span>}
    </span>
  );
}

/**
 * Whether the session sounds the same after a print, as far as it is known. Why it cannot was said before it was made.
 */
function Sameness({ job }: { readonly job: Job }) {
  const jobs = useSession((s) => s.jobs);
  if (job.result?.kind !== "print") return null;
  const { heard, differs, certain } = job.result;
  if (!heard)
    return (
      <span className="shrink-0" title="Nothing that sounded was changed">
        the session sounds as before
      </span>
    );
  if (differs !== null && certain)
    return (
      <span className="shrink-0" title={`It does not sound the same: ${differs}.`}>
        as said, <b className="text-ink">not the same</b>
      </span>
    );
  const check = Object.values(jobs).find((j) => j.request.kind === "check" && j.request.job === job.id);
  if (check?.result?.kind !== "check") return <span className="shrink-0">comparing before and after …</span>;
  const { peakDb } = check.result;
  return (
    <span className="shrink-0">
      <b className={peakDb === null || peakDb <= -120 ? "text-ink" : "text-caution"}>
        {peakDb === null || peakDb <= -120 ? "sounds the same" : "does not sound the same"}
      </b>
      : residual <span className="figure">{peakDb === null ? "none" : `${formatNumber(peakDb, 0)} dBFS`}</span>
    </span>
  );
}

/** Jumps, cut tails and dulled attacks that were found in prints, each with what mends it. */
function Findings({ prints, session }: { readonly prints: readonly PrintedFacts[]; readonly session: Session }) {
  const { edit, refresh } = useSessionParts((s) => ({ edit: s.edit, refresh: s.refresh }));
  const found = prints.flatMap((print) =>
    print.findings.map((finding) => {
      const edits = mendingEdits(session, finding, print.asset);
      const { what, fix } = sayPrintFinding(finding, print.name, session.rate);
      // Clips that were removed since need no mending; a cut tail is mended by printing again.
      return { print, finding, edits, what, fix: edits.length > 0 || finding.kind === "cut tail" ? fix : null };
    }),
  );
  if (found.length === 0) return null;
  const mend = ({ print, finding, edits }: (typeof found)[number]) => {
    if (finding.kind === "cut tail") return void refresh([print.print], true);
    if (
      edits.length > 0 &&
      edit(
        finding.kind === "edge"
          ? `Fade the edge of ${print.name}`
          : `Shorten the fade of ${finding.kind === "dull attack" ? finding.name : ""}`,
        edits,
      ) &&
      finding.kind === "dull attack"
    )
      void refresh([print.print]);
  };
  return (
    <span className="shrink-0">
      <Floating
        label="What was found in the print"
        align="end"
        width={400}
        trigger={
          <button type="button" className="font-semibold text-caution underline underline-offset-2">
            {found.length === 1 ? "one thing to look at" : `${found.length} things to look at`}
          </button>
        }
      >
        <ul className="grid gap-3 text-[13px] leading-[18px]">
          {found.map((f) => (
            <li key={`${f.print.print}/${f.what}`}>
              {f.what}{" "}
              {f.fix && (
                <button
                  type="button"
                  className="font-semibold text-spot underline underline-offset-2"
                  onClick={() => mend(f)}
                >
                  {f.fix}
                </button>
              )}
              {f.finding.kind === "edge" && f.edits.length > 0 && (
                <HearEdge session={session} asset={f.print.asset} at={f.finding.at} edits={f.edits} />
              )}
            </li>
          ))}
        </ul>
      </Floating>
    </span>
  );
}
