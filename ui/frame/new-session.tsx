"use client";

import { useState, type ReactNode } from "react";
import type { Session } from "../../core/session/document";
import { newSession } from "../../core/session/starter";
import { RATES } from "../../core/units";
import { Button } from "../parts/button";
import { Choice } from "../parts/choice";
import { Floating } from "../parts/floating";
import { NumberField } from "../parts/number-field";

const METERS = ["4/4", "3/4", "2/4", "5/4", "6/8", "7/8", "12/8"] as const;

interface Props {
  readonly trigger: ReactNode;
  readonly taken: readonly string[];
  readonly onCreate: (document: Session) => void;
}

/** What has to be known before a session begins; tempo and meter can change later, the rate stays. */
export function NewSession({ trigger, taken, onCreate }: Props) {
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
    <Floating label="New session" side="bottom" align="end" width={300} trigger={trigger}>
      <form
        className="grid grid-cols-[64px_1fr] items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          create();
        }}
      >
        <label htmlFor="new-name" className="text-soft">
          Name
        </label>
        <input
          id="new-name"
          autoFocus
          value={name ?? `Session ${n}`}
          maxLength={200}
          onFocus={(e) => e.target.select()}
          onChange={(e) => setName(e.target.value)}
          className="min-h-7 w-full rounded-sm border border-rule bg-lift px-2 hover:border-ink"
        />
        <span className="text-soft">Rate</span>
        <Choice
          label="Sample rate"
          value={String(rate)}
          onChange={(v) => setRate(Number(v) as Session["rate"])}
          options={RATES.map((r) => ({ value: String(r), label: `${r / 1000} kHz` }))}
        />
        <span className="text-soft">Tempo</span>
        <span className="flex items-center gap-2">
          <NumberField
            label="Tempo, beats to the minute"
            value={bpm}
            min={10}
            max={500}
            digits={2}
            onCommit={setBpm}
            className="min-h-7 w-20"
          />{" "}
          to the minute
        </span>
        <span className="text-soft">Meter</span>
        <Choice label="Meter" value={meter} onChange={setMeter} options={METERS.map((m) => ({ value: m, label: m }))} />
        <p className="col-span-2 text-xs text-soft">
          Audio of other rates is converted when it comes in. Tempo and meter can change along the timeline.
        </p>
        <Button kind="main" type="submit" className="col-span-2 min-h-8">
          Begin
        </Button>
      </form>
    </Floating>
  );
}
