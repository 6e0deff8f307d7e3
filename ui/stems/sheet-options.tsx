"use client";

import type { ReactNode } from "react";
import type { Sheet } from "../../core/session/document";
import { RATES } from "../../core/units";
import { Choice } from "../parts/choice";
import { NumberField } from "../parts/number-field";
import { clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";

const DEPTHS = [
  { value: "24", label: "24-bit", about: "What most receivers expect; quieter than any room." },
  { value: "32f", label: "32-bit float", about: "Exactly what was computed; nothing can clip." },
  { value: "16", label: "16-bit", about: "For players and old samplers; dithered." },
] as const;

const TAILS = [
  { value: "measured", label: "until silent", about: "Every file goes on until all of them have faded out." },
  {
    value: "none",
    label: "cut at the end",
    about: "Files stop where the range stops; a tail that still sounds is lost.",
  },
] as const;

/** Range, tail and format: the same for all files of a delivery. */
export function SheetOptions() {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const { sheet } = session;
  const { meter } = clockOf(session);
  const set = (label: string, patch: Partial<Sheet>) => edit(label, [{ do: "set sheet", patch }]);
  const barOf = (tick: number | null) => (tick === null ? 1 : meter.position(tick).bar);
  const tickOf = (bar: number) => meter.barToTick(Math.round(bar));
  const lastBar = Math.max(2, meter.position(clockOf(session).tempo.toTicks(clockOf(session).end)).bar + 1);
  return (
    <div className="ml-auto flex items-end gap-3">
      <Field name="From bar">
        <NumberField
          label="From bar"
          value={barOf(sheet.from)}
          min={1}
          max={99999}
          digits={0}
          className="h-7 w-14"
          onCommit={(bar) => set("Start of the stems", { from: bar <= 1 ? null : tickOf(bar) })}
        />
      </Field>
      <Field name="To">
        <span className="flex gap-1">
          <Choice
            label="End of the stems"
            value={sheet.to === null ? "last" : "bar"}
            options={[
              { value: "last", label: "the last sound" },
              { value: "bar", label: "bar" },
            ]}
            onChange={(kind) =>
              set("End of the stems", { to: kind === "last" ? null : tickOf(Math.max(lastBar, barOf(sheet.from) + 1)) })
            }
          />
          {sheet.to !== null && (
            <NumberField
              label="To bar"
              value={barOf(sheet.to)}
              min={barOf(sheet.from) + 1}
              max={99999}
              digits={0}
              className="h-7 w-14"
              onCommit={(bar) => set("End of the stems", { to: tickOf(bar) })}
            />
          )}
        </span>
      </Field>
      <Field name="Tail">
        <Choice
          label="Tail"
          value={sheet.tail}
          options={TAILS}
          onChange={(tail) => set("Tail of the stems", { tail })}
        />
      </Field>
      <Field name="Rate">
        <Choice
          label="Rate"
          value={String(sheet.rate ?? "session")}
          options={[
            { value: "session", label: `${session.rate / 1000} kHz`, about: "As the session: nothing is converted." },
            ...RATES.filter((r) => r !== session.rate).map((r) => ({
              value: String(r),
              label: `${r / 1000} kHz`,
              about: "Converted after rendering, without delay.",
            })),
          ]}
          onChange={(value) =>
            set("Rate of the stems", { rate: value === "session" ? null : (Number(value) as Sheet["rate"]) })
          }
        />
      </Field>
      <Field name="Depth">
        <Choice
          label="Depth"
          value={sheet.depth}
          options={DEPTHS}
          onChange={(depth) => set("Depth of the stems", { depth })}
        />
      </Field>
      <label
        className={`flex h-7 items-center gap-1.5 ${sheet.depth === "32f" ? "text-faint" : ""}`}
        title="Noise of half a step that keeps quiet endings smooth; float needs none"
      >
        <input
          type="checkbox"
          className="size-4 accent-[var(--spot)]"
          checked={sheet.dither && sheet.depth !== "32f"}
          disabled={sheet.depth === "32f"}
          onChange={(e) => set("Dither", { dither: e.target.checked })}
        />
        dither
      </label>
    </div>
  );
}

const Field = ({ name, children }: { readonly name: string; readonly children: ReactNode }) => (
  <div>
    <p className="eyebrow" aria-hidden>
      {name}
    </p>
    {children}
  </div>
);
