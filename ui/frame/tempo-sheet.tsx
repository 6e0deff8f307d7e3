"use client";

import { Trash2 } from "lucide-react";
import { useState, type ReactNode } from "react";
import type { Session } from "../../core/session/document";
import { removeMeter, removeTempo, setMeter, setTempo } from "../../core/session/tempo-edits";
import { Button } from "../parts/button";
import { Choice } from "../parts/choice";
import { NumberField } from "../parts/number-field";
import { usePlaybackStore } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";

type Denominator = Session["meter"][number]["denominator"];
const DENOMINATORS: readonly Denominator[] = [1, 2, 4, 8, 16, 32];

/** Every change of tempo and of meter, where it stands; and another at the playhead. */
export function TempoSheet() {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const playback = usePlaybackStore();
  const clock = clockOf(session);
  const [at] = useState(() => Math.round(clock.tempo.toTicks(playback.getState().position())));
  const { bar } = clock.meter.position(at);
  const barTick = clock.meter.barToTick(bar);
  const meter = clock.meter.meterAt(bar);
  const put = (label: string, edits: Parameters<typeof edit>[1]) => {
    if (edits.length > 0) edit(label, edits);
  };
  return (
    <div className="grid gap-2 text-[13px]">
      <p className="eyebrow">Tempo</p>
      <ul aria-label="Changes of tempo">
        {session.tempo.map((p) => (
          <Row
            key={p.tick}
            where={barText(clock, clock.tempo.toFrames(p.tick))}
            what="tempo"
            {...(p.tick === 0 ? {} : { onRemove: () => put("Remove a change of tempo", removeTempo(session, p.tick)) })}
          >
            <NumberField
              label={`Tempo from ${barText(clock, clock.tempo.toFrames(p.tick))}`}
              unit="bpm"
              value={p.bpm}
              min={10}
              max={500}
              digits={p.bpm % 1 === 0 ? 0 : 2}
              onCommit={(bpm) => put("Tempo", setTempo(session, { ...p, bpm }))}
              className="w-16"
            />{" "}
            bpm
            <Choice
              label={`What the tempo does from ${barText(clock, clock.tempo.toFrames(p.tick))}`}
              value={p.shape}
              className="text-xs whitespace-nowrap"
              options={[
                { value: "hold", label: "holds" },
                { value: "ramp", label: "moves to the next" },
              ]}
              onChange={(shape) => put("Tempo", setTempo(session, { ...p, shape }))}
            />
          </Row>
        ))}
      </ul>
      {!session.tempo.some((p) => p.tick === barTick) && (
        <Button
          onClick={() =>
            put(
              `A change of tempo at bar ${bar}`,
              setTempo(session, {
                tick: barTick,
                bpm: Math.round(clock.tempo.bpmAt(barTick) * 100) / 100,
                shape: "hold",
              }),
            )
          }
        >
          Change it at bar {bar}
        </Button>
      )}
      <p className="eyebrow mt-1">Meter</p>
      <ul aria-label="Changes of meter">
        {session.meter.map((p) => (
          <Row
            key={p.bar}
            where={`bar ${p.bar}`}
            what="meter"
            {...(p.bar === 1 ? {} : { onRemove: () => put("Remove a change of meter", removeMeter(session, p.bar)) })}
          >
            <NumberField
              label={`Beats in a bar from bar ${p.bar}`}
              value={p.numerator}
              min={1}
              max={64}
              digits={0}
              onCommit={(n) => put("Meter", setMeter(session, { ...p, numerator: Math.round(n) }))}
              className="w-11"
            />{" "}
            /
            <Choice
              label={`Beat from bar ${p.bar}`}
              value={String(p.denominator)}
              className="text-xs"
              options={DENOMINATORS.map((d) => ({ value: String(d), label: String(d) }))}
              onChange={(d) => put("Meter", setMeter(session, { ...p, denominator: Number(d) as Denominator }))}
            />
          </Row>
        ))}
      </ul>
      {!session.meter.some((p) => p.bar === bar) && (
        <Button
          onClick={() =>
            put(
              `A change of meter at bar ${bar}`,
              setMeter(session, { bar, numerator: meter.numerator, denominator: meter.denominator as Denominator }),
            )
          }
        >
          Change it at bar {bar}
        </Button>
      )}
      <p className="text-xs text-soft">Notes follow the tempo; audio stays where it is in time.</p>
    </div>
  );
}

function Row({
  where,
  what,
  onRemove,
  children,
}: {
  readonly where: string;
  readonly what: string;
  readonly onRemove?: () => void;
  readonly children: ReactNode;
}) {
  return (
    <li className="flex min-h-8 items-center gap-1.5 border-b border-rule">
      <span className="figure w-20 text-xs text-soft">{where}</span>
      {children}
      <span className="flex-1" />
      {onRemove && (
        <button
          type="button"
          aria-label={`Remove the ${what} at ${where}`}
          title="Remove"
          onClick={onRemove}
          className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
        >
          <Trash2 size={13} aria-hidden />
        </button>
      )}
    </li>
  );
}
