"use client";

import { Download, Pause, Play } from "lucide-react";
import { useCallback, useMemo, useState } from "react";
import type { Delivery } from "../../contract/link";
import { formatClock } from "../../core/time/clock";
import { formatDepth, formatFile } from "../../core/words/delivered";
import { useFilesPlayer } from "../hear/use-files-player";
import { byteText } from "../parts/bytes";
import { dayText } from "../parts/dates";
import { barsOf } from "./bars";
import { Check } from "./check";
import { FileRow } from "./file-row";
import { Playhead } from "./playhead";
import { Ruler } from "./ruler";

const BUTTON =
  "inline-flex min-h-11 items-center justify-center gap-2 rounded-sm bg-spot px-5 text-base font-bold text-on-spot hover:brightness-110";

/** Everything of one delivery on one page: hear it, read it, take it, check it. */
export function DeliveryPage({ secret, delivery }: { readonly secret: string; readonly delivery: Delivery }) {
  const { files, rate, frames } = delivery;
  const base = `/api/r/${secret}`;
  const lengthS = frames / rate;
  const bars = useMemo(() => barsOf(delivery), [delivery]);
  const [muted, setMuted] = useState<ReadonlySet<string>>(
    () =>
      new Set(files.some((f) => f.role === "stem") ? files.filter((f) => f.role !== "stem").map((f) => f.name) : []),
  );
  const [alone, setAlone] = useState<ReadonlySet<string>>(new Set());
  const heard = useMemo(
    () =>
      files.map(({ name, format, frames: length, rate: own, side }) => ({
        key: name,
        address: `${base}/files/${encodeURIComponent(name)}`,
        format,
        frames: length,
        rate: own,
        side,
      })),
    [files, base],
  );
  const isHeard = useCallback((name: string) => (alone.size > 0 ? alone.has(name) : !muted.has(name)), [alone, muted]);
  const gainOf = useCallback((name: string) => (isHeard(name) ? 1 : 0), [isHeard]);
  const player = useFilesPlayer(heard, gainOf);
  const toggled = (set: ReadonlySet<string>, name: string): ReadonlySet<string> => {
    const next = new Set(set);
    if (!next.delete(name)) next.add(name);
    return next;
  };
  const stems = files.filter((f) => f.role === "stem").length;
  const mixes = files.length - stems;
  return (
    <main className="mx-auto max-w-5xl px-4 pt-6 pb-16 sm:px-6">
      <header className="flex flex-wrap items-end justify-between gap-x-8 gap-y-4">
        <div className="min-w-0">
          <h1 className="text-[34px] leading-none font-bold tracking-tight break-words">{delivery.song}</h1>
          <p className="mt-2 text-base text-soft">
            {stems} {stems === 1 ? "stem" : "stems"}
            {mixes > 0 && ` and ${mixes} ${mixes === 1 ? "mix" : "mixes"}`} ·{" "}
            <span className="figure">{formatClock(lengthS)}</span> ·{" "}
            {[...new Set(files.map((f) => formatFile(f.format)))].join(" and ")},{" "}
            <span className="figure">{rate / 1000} kHz</span>, {formatDepth(delivery.depth as "24")}
          </p>
          <p className="text-soft">
            Made {dayText(delivery.madeAt)}
            {delivery.receiver !== "" && ` for ${delivery.receiver}`}. This page is here until{" "}
            {dayText(delivery.expiresAt)}
            {delivery.downloadsLeft !== null && `; ${delivery.downloadsLeft} downloads are left`}.
          </p>
        </div>
        <a href={`${base}/package`} download className={BUTTON}>
          <Download size={18} aria-hidden /> Take everything, <span className="figure">{byteText(delivery.bytes)}</span>
        </a>
      </header>

      {delivery.notes.trim() !== "" && (
        <section
          aria-label="Notes"
          className="mt-5 border-l-4 border-spot bg-shade px-4 py-3 text-base whitespace-pre-line"
        >
          {delivery.notes.trim()}
        </section>
      )}
      {delivery.changes.length > 0 && (
        <section aria-labelledby="changes" className="mt-5">
          <h2 id="changes" className="text-lg font-semibold">
            Since the last package
          </h2>
          {delivery.changes.map((text) => (
            <p key={text}>{text}</p>
          ))}
        </section>
      )}

      <section aria-label="Listen" className="mt-6">
        <div className="sticky top-0 z-20 border-b border-ink bg-paper py-2">
          <div className="flex items-center gap-4">
            <button type="button" onClick={player.toggle} className={`${BUTTON} w-32`}>
              {player.playing ? <Pause size={18} aria-hidden /> : <Play size={18} aria-hidden />}
              {player.playing ? "Pause" : "Play"}
            </button>
            <Playhead player={player} bars={bars} />
            <span role="status" className="text-soft">
              {player.waiting ? "fetching …" : ""}
            </span>
            {player.fault !== null && (
              <span role="alert" className="text-wrong">
                {player.fault}
              </span>
            )}
          </div>
          <Ruler bars={bars} lengthS={lengthS} player={player} />
        </div>
        <ul>
          {files.map((file) => (
            <FileRow
              key={file.name}
              file={file}
              lengthS={lengthS}
              bars={bars}
              player={player}
              heard={isHeard(file.name)}
              alone={alone.has(file.name)}
              muted={muted.has(file.name)}
              address={`${base}/files/${encodeURIComponent(file.name)}?save=1`}
              onAlone={() => setAlone(toggled(alone, file.name))}
              onMute={() => setMuted(toggled(muted, file.name))}
            />
          ))}
        </ul>
      </section>

      {delivery.sessionFiles.length > 0 && (
        <section aria-labelledby="session-files" className="mt-8">
          <h2 id="session-files" className="text-lg font-semibold">
            The session, for other programs
          </h2>
          <p className="text-soft">
            What a file could not hold was printed to audio first; a list beside each says what became of what.
          </p>
          <ul className="mt-2 divide-y divide-rule border-y border-rule">
            {delivery.sessionFiles.map((f) => (
              <li key={f.name} className="py-2">
                <div className="flex flex-wrap items-baseline gap-x-3">
                  <a
                    href={`${base}/files/${encodeURIComponent(f.name)}?save=1`}
                    download
                    className="figure min-h-6 truncate font-semibold text-spot underline underline-offset-2"
                  >
                    {f.name.replace(/^.*\//, "")}
                  </a>
                  <span className="text-xs text-soft">
                    {f.kind} · {f.tracks} tracks · {f.clips} clips · {byteText(f.bytes)}
                  </span>
                </div>
                <ul className="text-xs">
                  {f.beside
                    .filter((b) => b.name.endsWith(".txt"))
                    .map((b) => (
                      <li key={b.name}>
                        <a
                          href={`${base}/files/${encodeURIComponent(b.name)}?save=1`}
                          download
                          className="text-spot underline underline-offset-2"
                        >
                          what it carries
                        </a>
                      </li>
                    ))}
                </ul>
                {f.beside.some((b) => !b.name.endsWith(".txt")) && (
                  <p className="text-xs text-soft">
                    It finds {f.beside.filter((b) => !b.name.endsWith(".txt")).length} files of sound in a folder beside
                    it: take the whole package, so that they come along.
                  </p>
                )}
              </li>
            ))}
          </ul>
        </section>
      )}

      <div className="mt-8 grid gap-8 sm:grid-cols-2">
        <section aria-labelledby="papers">
          <h2 id="papers" className="text-lg font-semibold">
            Beside the audio
          </h2>
          <p className="text-soft">
            What each file is and how to line them up; tempo, meter and markers for any program.
          </p>
          <ul className="mt-2 space-y-1">
            {delivery.papers.map((paper) => {
              const address = `${base}/files/${encodeURIComponent(paper.name)}`;
              return (
                <li key={paper.name} className="flex items-baseline gap-3">
                  <a
                    href={paper.role === "sheet" ? address : `${address}?save=1`}
                    {...(paper.role === "sheet" ? { target: "_blank", rel: "noreferrer" } : { download: true })}
                    className="figure min-h-6 truncate font-semibold text-spot underline underline-offset-2"
                  >
                    {paper.name}
                  </a>
                  <span className="shrink-0 text-xs text-soft">{byteText(paper.bytes)}</span>
                </li>
              );
            })}
          </ul>
          {delivery.proof && (
            <p className="mt-4">
              <b className="font-semibold">
                {delivery.proof.mark === "wrong" ? "Its proof found something wrong." : "Proven before it was sent."}
              </b>{" "}
              <span className="text-soft">
                Every file was read back and held to the session. Sum of the stems against the mix:{" "}
                <span className="figure">{delivery.proof.sum.replace("-", "−")}</span>.
              </span>
            </p>
          )}
        </section>
        <Check base={base} delivery={delivery} />
      </div>
    </main>
  );
}
