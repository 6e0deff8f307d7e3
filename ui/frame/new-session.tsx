"use client";

import { useState } from "react";
import type { Session } from "../../core/session/document";
import { newSession } from "../../core/session/starter";
import { RATES } from "../../core/units";
import { Button } from "../parts/button";
import { Choice } from "../parts/choice";
import { NumberField } from "../parts/number-field";

const METERS = ["4/4", "3/4", "2/4", "5/4", "6/8", "7/8", "12/8"] as const;

interface Props {
  readonly taken: readonly string[];
  readonly onCreate: (document: Session) => void;
  readonly onLeave: () => void;
}

/** What has to be known before a session begins; tempo and meter can change later, the rate stays. */
export function NewSession({ taken, onCreate, onLeave }: Props) {
  let n = 1;
  while (taken.includes(`Session ${n}`)) n++;
  const [name, setName] = useState<string | null>(null);
  const [rate, setRate] = useState<Session["rate"]>(48000);
  const [bpm, setBpm] = useState(120);
  const [meter, setMeter] = useState<(typeof METERS)[number]>("4/4");
  const create = () => {
    const [numerator = 4, denominator = 4] = meter.split("/").map(Number);
    onCreate(
      newSession({
        name: (name ?? "").trim() || `Session ${n}`,
        rate,
        bpm,
        numerator,
        denominator: denominator as Session["meter"][number]["denominator"],
      }),
    );
  };
  return (
    <form
      aria-label="New session"
      className="border-b border-ink bg-lift px-3 pt-3 pb-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        create();
      }}
      onKeyDown={(e) => e.key === "Escape" && onLeave()}
    >
      <div className="flex flex-wrap items-end gap-x-4 gap-y-2">
        <label className="min-w-40 flex-1">
          <span className="eyebrow block">Name</span>
          <input
            autoFocus
            value={name ?? `Session ${n}`}
            maxLength={200}
            onFocus={(e) => e.target.select()}
            onChange={(e) => setName(e.target.value)}
            className="min-h-8 w-full rounded-sm border border-rule bg-paper px-2 hover:border-ink"
          />
        </label>
        <span>
          <span className="eyebrow block">Rate</span>
          <Choice
            label="Sample rate"
            className="min-h-8"
            value={String(rate)}
            onChange={(v) => setRate(Number(v) as Session["rate"])}
            options={RATES.map((r) => ({ value: String(r), label: `${r / 1000} kHz` }))}
          />
        </span>
        <span>
          <span className="eyebrow block">Tempo</span>
          <NumberField
            label="Tempo, beats to the minute"
            unit="bpm"
            neutral={120}
            value={bpm}
            min={10}
            max={500}
            digits={2}
            onCommit={setBpm}
            className="min-h-8 w-20"
          />
        </span>
        <span>
          <span className="eyebrow block">Meter</span>
          <Choice
            label="Meter"
            className="min-h-8"
            value={meter}
            onChange={setMeter}
            options={METERS.map((m) => ({ value: m, label: m }))}
          />
        </span>
        <Button kind="main" type="submit" className="min-h-8">
          Create session
        </Button>
      </div>
      <p className="mt-2 text-xs text-soft">
        Audio of other rates is converted when it comes in. Tempo and meter can change along the timeline.
      </p>
    </form>
  );
}
