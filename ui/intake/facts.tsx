"use client";

import type { ReactNode } from "react";
import type { Arrival, Candidate } from "../../contract/intake";
import type { Loss } from "../../core/timeline/loss";
import type { ReportLine } from "../../core/timeline/report";
import { FATES, reportOf } from "../../core/timeline/report";
import { FATE_HEADINGS, sayLoss } from "../../core/words/losses";
import { TempoField } from "./tempo-field";
import { missingOf } from "./words";

/** What a person has to know before it is opened: what is missing, converted, joined, kept once, lost. */
export function Facts({ candidate, arrival }: { readonly candidate: Candidate; readonly arrival: Arrival }) {
  const missing = missingOf(candidate);
  const converted = candidate.media.filter((m) => m.converted && m.state !== "missing");
  const twice = candidate.media.filter((m) => m.same !== null);
  const lines = reportOf(candidate.losses as readonly Loss[]);
  const kHz = (rate: number) => `${rate / 1000} kHz`;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      {missing.length > 0 && (
        <Group
          title={`${missing.length} ${missing.length === 1 ? "file is" : "files are"} missing`}
          tone="wrong"
          means="Drop them here, or later on the session. Until then silence stands for them, at the right place and length."
        >
          {missing.slice(0, MOST).map((m, i) => (
            <li key={i} className="truncate" title={m.note}>
              <b className="font-medium">{m.state === "missing" ? m.note.replace(/^.*[/\\]/, "") || m.name : m.name}</b>
              {m.state === "not audio" && <span className="text-soft"> · {m.note}</span>}
            </li>
          ))}
          <Rest of={missing.length} />
        </Group>
      )}
      <dl className="grid grid-cols-[72px_minmax(0,1fr)] gap-x-2 gap-y-1">
        <Row term="Rate">
          {kHz(candidate.sessionRate)}
          {candidate.rate !== candidate.sessionRate && `, from ${kHz(candidate.rate)}`}
        </Row>
        <Row term="Tempo">
          <TempoField candidate={candidate} />
        </Row>
        {candidate.markers > 0 && <Row term="Markers">{candidate.markers}</Row>}
        {candidate.startFrames > 0 && (
          <Row term="Starts at">{(candidate.startFrames / candidate.rate / 3600).toFixed(4)} h of the day</Row>
        )}
        <Row term="Audio">{audioText(candidate)}</Row>
      </dl>
      {converted.length > 0 && (
        <Group
          title={`${converted.length} converted to ${kHz(candidate.sessionRate)}`}
          means="The originals stay as they are."
        >
          {converted.slice(0, MOST).map((m, i) => (
            <li key={i} className="truncate">
              {m.name} <span className="text-soft">from {kHz(m.rate)}</span>
            </li>
          ))}
          <Rest of={converted.length} />
        </Group>
      )}
      {twice.length > 0 && (
        <Group title={`${twice.length} kept once`} means="The same bytes under two names.">
          {twice.slice(0, MOST).map((m, i) => (
            <li key={i} className="truncate">
              {m.name} <span className="text-soft">is {m.same?.replace(/^.*\//, "")}</span>
            </li>
          ))}
          <Rest of={twice.length} />
        </Group>
      )}
      <Report lines={lines} />
      {arrival.left.length > 0 && (
        <Group
          title={`${arrival.left.length} cannot be read`}
          tone="wrong"
          means="They are left out; the rest is not touched by it."
        >
          {arrival.left.slice(0, MOST).map((l, i) => (
            <li key={i}>
              <b className="font-medium break-words">{l.path}</b>
              <span className="block text-soft">{l.why}</span>
            </li>
          ))}
          <Rest of={arrival.left.length} />
        </Group>
      )}
      {arrival.others.length > 0 && (
        <p className="text-xs text-soft">
          {arrival.others.length} other {arrival.others.length === 1 ? "file" : "files"}, neither sound nor session:{" "}
          {arrival.others
            .slice(0, 4)
            .map((o) => o.replace(/^.*\//, ""))
            .join(", ")}
          {arrival.others.length > 4 && " …"}
        </p>
      )}
    </div>
  );
}

const MOST = 8;

function audioText({ media }: Candidate): string {
  const there = media.filter((m) => m.state === "found" || m.state === "inside");
  const inside = there.filter((m) => m.state === "inside").length;
  return there.length === 0
    ? "none"
    : `${there.length} ${there.length === 1 ? "file" : "files"}${inside > 0 ? `, ${inside === there.length ? "inside the session file" : `${inside} inside`}` : ""}`;
}

/** What became of what, worst first; what was kept is one line. */
export function Report({ lines }: { readonly lines: readonly ReportLine[] }) {
  if (lines.length === 0) return null;
  return (
    <div className="grid gap-2">
      {FATES.map((fate) => {
        const of = lines.filter((l) => l.fate === fate);
        if (of.length === 0) return null;
        return (
          <section key={fate}>
            <h3 className={`font-semibold ${fate === "left out" ? "text-wrong" : fate === "kept" ? "text-soft" : ""}`}>
              {FATE_HEADINGS[fate]}
            </h3>
            <ul>
              {of.map((l) => {
                const { what, more } = sayLoss(l);
                return (
                  <li key={l.part} className="leading-snug">
                    {what}
                    {more !== "" && <span className="text-xs text-soft"> · {more}</span>}
                  </li>
                );
              })}
            </ul>
          </section>
        );
      })}
    </div>
  );
}

const Row = ({ term, children }: { readonly term: string; readonly children: ReactNode }) => (
  <>
    <dt className="font-semibold text-soft">{term}</dt>
    <dd>{children}</dd>
  </>
);

const Group = ({
  title,
  means,
  tone,
  children,
}: {
  readonly title: string;
  readonly means: string;
  readonly tone?: "wrong";
  readonly children: ReactNode;
}) => (
  <section className={tone === "wrong" ? "border-l-2 border-wrong pl-2.5" : ""}>
    <h3 className={`font-semibold ${tone === "wrong" ? "text-wrong" : ""}`}>{title}</h3>
    <p className="text-xs leading-snug text-soft">{means}</p>
    <ul className="mt-1">{children}</ul>
  </section>
);

const Rest = ({ of }: { readonly of: number }) =>
  of > MOST ? <li className="text-soft">and {of - MOST} more</li> : null;
