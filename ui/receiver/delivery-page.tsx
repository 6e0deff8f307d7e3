"use client";

import { Pause, Play } from "lucide-react";
import { useCallback, useMemo } from "react";
import type { Delivery } from "../../contract/link";
import { useFilesPlayer } from "../hear/use-files-player";
import { barsOf } from "./bars";
import { Check } from "./check";
import { BUTTON, DeliveryHead } from "./delivery-head";
import { FileRow } from "./file-row";
import { Papers } from "./papers";
import { Playhead } from "./playhead";
import { Ruler } from "./ruler";
import { SessionFiles } from "./session-files";
import { useAudible } from "./use-audible";

/** Everything of one delivery on one page: hear it, read it, take it, check it. */
export function DeliveryPage({ secret, delivery }: { readonly secret: string; readonly delivery: Delivery }) {
  const { files, rate, frames } = delivery;
  const base = `/api/r/${secret}`;
  const lengthS = frames / rate;
  const bars = useMemo(() => barsOf(delivery), [delivery]);
  const audible = useAudible(files);
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
  const gainOf = useCallback((name: string) => (audible.isHeard(name) ? 1 : 0), [audible]);
  const player = useFilesPlayer(heard, gainOf);
  return (
    <main className="mx-auto max-w-5xl px-4 pt-6 pb-16 sm:px-6">
      <DeliveryHead base={base} delivery={delivery} />
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
              heard={audible.isHeard(file.name)}
              alone={audible.alone.has(file.name)}
              muted={audible.muted.has(file.name)}
              address={`${base}/files/${encodeURIComponent(file.name)}?save=1`}
              onAlone={() => audible.toggleAlone(file.name)}
              onMute={() => audible.toggleMuted(file.name)}
            />
          ))}
        </ul>
      </section>

      {delivery.sessionFiles.length > 0 && <SessionFiles base={base} delivery={delivery} />}

      <div className="mt-8 grid gap-8 sm:grid-cols-2">
        <Papers base={base} delivery={delivery} />
        <Check base={base} delivery={delivery} />
      </div>
    </main>
  );
}
