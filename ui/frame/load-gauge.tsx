"use client";

import type { Session } from "../../core/session/document";
import { Floating } from "../parts/floating";
import { barText, clockOf } from "../session/clock";
import type { LoadNote } from "../session/load-history";
import { useSessionParts } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";

const shown = (value: number) => value.toFixed(2);
/** How much of a bar a load fills: one core busy all the time fills it. */
const filled = (value: number) => `${Math.min(100, value * 100)}%`;
/** The dearest tracks, by name. */
const DEAREST = 8;

/**
 * Load of the whole session as measured by the engine, of one core, and what it was before the last change; opens what
 * it is made of, and its history.
 */
export function LoadGauge() {
  const { load, loads } = useSessionParts((s) => ({ load: s.load, loads: s.loads }));
  const total = load?.total ?? null;
  const before = loads[1]?.load;
  const was = before && total !== null && Math.abs(before.total - total) >= 0.005 ? before.total : null;
  return (
    <Floating
      label="Load"
      side="bottom"
      width={380}
      trigger={
        <button
          type="button"
          aria-label={`Load: ${total === null ? "not measured yet" : shown(total)}. What it is made of`}
          className="mr-2 flex h-7 items-center gap-2 rounded-sm px-1.5 text-xs hover:bg-on-strip/15"
          title="Time the session takes to compute, in its busiest seconds, over the time it plays: 1.00 keeps one core busy"
        >
          <span className="text-on-strip-soft max-[1400px]:hidden">load</span>
          <span aria-hidden className="relative h-[7px] w-10 bg-on-strip/20">
            <span className="absolute inset-y-0 left-0 bg-[#9fd3b9]" style={{ width: filled(total ?? 0) }} />
            {was !== null && (
              <span className="absolute -inset-y-[3px] w-px bg-on-strip" style={{ left: filled(was) }} />
            )}
          </span>
          <span className="figure w-7 text-right font-medium" data-load>
            {total === null ? "–" : shown(total)}
          </span>
          <span className="figure w-14 text-left text-on-strip-soft">{was === null ? "" : `was ${shown(was)}`}</span>
        </button>
      }
    >
      <LoadSheet />
    </Floating>
  );
}

function LoadSheet() {
  const { session, loads, select, freeze } = useSessionParts((s) => ({
    session: s.session,
    loads: s.loads,
    select: s.select,
    freeze: s.freeze,
  }));
  const [latest] = loads;
  if (!latest) return <p className="text-xs text-soft">The load is measured a moment after the last change.</p>;
  const { load } = latest;
  const clock = clockOf(session);
  const states = trackStates(session);
  const dearest = session.tracks
    .filter((t) => (load.tracks[t.id] ?? 0) >= 0.001)
    .sort((a, b) => (load.tracks[b.id] ?? 0) - (load.tracks[a.id] ?? 0));
  const most = load.tracks[dearest[0]?.id ?? ""] ?? 1;
  return (
    <div className="grid gap-3 text-xs">
      <p className="text-soft">
        Measured from <span className="figure">{barText(clock, load.from)}</span> on, where most is going on. 1.00 keeps
        one core busy all the time.
      </p>
      <section aria-label="Load by track">
        <h3 className="mb-1 font-semibold">What costs most</h3>
        <ul className="grid gap-0.5">
          {dearest.slice(0, DEAREST).map((track) => {
            const freezable =
              states.get(track.id) === "live" && (track.kind === "audio" || track.kind === "instrument");
            return (
              <li key={track.id} className="grid min-h-6 grid-cols-[1fr_80px_36px_52px] items-center gap-2">
                <button
                  type="button"
                  className="truncate text-left hover:underline"
                  title={`Select ${trackName(track)}`}
                  onClick={() => select([track.id])}
                >
                  {trackName(track)}
                </button>
                <Bar part={(load.tracks[track.id] ?? 0) / most} />
                <span className="figure text-right">{(load.tracks[track.id] ?? 0).toFixed(3).replace(/^0/, "")}</span>
                {freezable ? (
                  <button
                    type="button"
                    className="rounded-sm border border-rule px-1 leading-5 text-soft hover:border-ink hover:text-ink"
                    aria-label={`Freeze ${trackName(track)}`}
                    onClick={() => void freeze([track.id])}
                  >
                    Freeze
                  </button>
                ) : (
                  <span className="text-center text-soft">{KINDS[track.kind] ?? states.get(track.id)}</span>
                )}
              </li>
            );
          })}
        </ul>
        {dearest.length > DEAREST && (
          <p className="mt-1 text-soft">
            and {dearest.length - DEAREST} more with{" "}
            <span className="figure">
              {dearest
                .slice(DEAREST)
                .reduce((sum, t) => sum + (load.tracks[t.id] ?? 0), 0)
                .toFixed(3)
                .replace(/^0/, "")}
            </span>{" "}
            together
          </p>
        )}
      </section>
      <History loads={loads} />
    </div>
  );
}

const KINDS: Partial<Record<Session["tracks"][number]["kind"], string>> = {
  group: "group",
  return: "return",
  mix: "mix",
};

function Bar({ part }: { readonly part: number }) {
  return (
    <span aria-hidden className="relative h-[7px] bg-rule">
      <span className="absolute inset-y-0 left-0 bg-ink" style={{ width: filled(part) }} />
    </span>
  );
}

function History({ loads }: { readonly loads: readonly LoadNote[] }) {
  return (
    <section aria-label="Load before">
      <h3 className="mb-1 font-semibold">What it was</h3>
      <ol className="grid gap-0.5">
        {loads.map(({ load, after }, i) => (
          <li key={load.revision} className="grid min-h-5 grid-cols-[1fr_80px_36px_52px] items-center gap-2">
            <span className="truncate" title={after ?? undefined}>
              {after === null ? "when it was opened" : after}
            </span>
            <Bar part={load.total / Math.max(...loads.map((n) => n.load.total))} />
            <span className={`figure text-right ${i === 0 ? "font-semibold" : ""}`}>{shown(load.total)}</span>
            <span className="text-center text-soft">{i === 0 ? "now" : ""}</span>
          </li>
        ))}
      </ol>
    </section>
  );
}
