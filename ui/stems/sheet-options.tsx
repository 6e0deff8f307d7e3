"use client";

import type { ReactNode } from "react";
import type { Sheet } from "../../core/session/document";
import type { SheetPatch } from "../../core/session/records";
import { onRows, sheetOf } from "../../core/delivery/sheet";
import { Button } from "../parts/button";
import { Menu, MenuHeading, MenuItem } from "../parts/menu";
import { RATES } from "../../core/units";
import { Choice } from "../parts/choice";
import { NumberField } from "../parts/number-field";
import { usePlayback } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { shownName } from "../../core/session/names";
import { depths, ends, fileFormats, mixFormats, optionsOf, tails } from "../../core/words/settings";

const SHEET_FORMATS = ["wav", "aiff", "flac"] as const;

/** Range, tail and format: the same for all files of a delivery. */
export function SheetOptions() {
  const { session, take } = useSessionParts((s) => ({ session: s.session, take: s.take }));
  const sheet = sheetOf(session);
  const set = (label: string, patch: SheetPatch) =>
    take(onRows(session, { label, edits: [{ do: "set sheet", patch }] }));
  return (
    <div className="flex flex-wrap items-end justify-end gap-x-3 gap-y-1.5">
      <TakeRange />
      <RangeFields sheet={sheet} set={set} />
      <TailField sheet={sheet} set={set} />
      <Field name="Ends">
        <Choice
          label="Ends"
          value={sheet.ends}
          options={optionsOf(ends)}
          onChange={(value) => set("Ends of the stems", { ends: value })}
        />
      </Field>
      <Field name="Lead-in bars">
        <NumberField
          label="Silent bars in front of every file"
          neutral={0}
          value={sheet.leadInBars}
          min={0}
          max={16}
          digits={0}
          className="h-7 w-14"
          onCommit={(bars) => set("Lead-in of the stems", { leadInBars: Math.round(bars) })}
        />
      </Field>
      <Field name="Format">
        <Choice
          label="Format"
          value={sheet.format}
          options={optionsOf(fileFormats, SHEET_FORMATS)}
          onChange={(format) => set("Format of the stems", { format })}
        />
      </Field>
      {sheet.mixes.length > 0 && (
        <Field name="Mixes">
          <Choice
            label="Format of the mixes"
            value={sheet.mixFormat}
            options={optionsOf(mixFormats)}
            onChange={(mixFormat) => set("Format of the mixes", { mixFormat })}
          />
        </Field>
      )}
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
          options={optionsOf(depths, ["24", "32f", "16"])}
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

interface FieldsProps {
  readonly sheet: Sheet;
  readonly set: (label: string, patch: SheetPatch) => void;
}

/** The bars that the files begin and end at. */
function RangeFields({ sheet, set }: FieldsProps) {
  const { meter, tempo, end } = clockOf(useSessionParts((s) => ({ session: s.session })).session);
  const barOf = (tick: number | null) => (tick === null ? 1 : meter.position(tick).bar);
  const tickOf = (bar: number) => meter.barToTick(Math.round(bar));
  const lastBar = Math.max(2, meter.position(tempo.toTicks(end)).bar + 1);
  return (
    <>
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
    </>
  );
}

function TailField({ sheet, set }: FieldsProps) {
  return (
    <Field name="Tail">
      <Choice
        label="Tail"
        value={sheet.tail}
        options={optionsOf(tails)}
        onChange={(tail) => set("Tail of the stems", { tail })}
      />
      {sheet.tail === "beats" && (
        <NumberField
          label="Beats of tail"
          unit="beats"
          value={sheet.tailBeats}
          min={0}
          max={4096}
          digits={2}
          className="ml-1 h-7 w-12"
          onCommit={(tailBeats) => set("Tail of the stems", { tailBeats })}
        />
      )}
      {sheet.tail === "fixed" && (
        <NumberField
          label="Seconds of tail"
          unit="s"
          value={sheet.tailSeconds}
          min={0}
          max={600}
          digits={1}
          className="ml-1 h-7 w-12"
          onCommit={(tailSeconds) => set("Tail of the stems", { tailSeconds })}
        />
      )}
    </Field>
  );
}

/** Where the stems begin and end, taken from something that is there already. */
function TakeRange() {
  const { session, edit, selectedRange } = useSessionParts((s) => ({
    session: s.session,
    edit: s.edit,
    selectedRange: s.selectedRange,
  }));
  const stretch = usePlayback((p) => ({ stretch: p.stretch })).stretch;
  const clock = clockOf(session);
  const { tempo } = clock;
  const spanText = (span: { readonly from: number; readonly to: number } | null) =>
    span ? `${barText(clock, span.from)} to ${barText(clock, span.to)}` : "none";
  const take = (from: number | null, to: number | null) =>
    edit("Range of the stems", [{ do: "set sheet", patch: { from: from === 0 ? null : from, to } }]);
  return (
    <Menu label="Range of the stems" trigger={<Button>Range …</Button>}>
      <MenuItem onSelect={() => take(null, null)}>The whole session</MenuItem>
      <MenuItem
        disabled={!stretch}
        onSelect={() => stretch && take(tempo.toTicks(stretch.from), tempo.toTicks(stretch.to))}
      >
        The range on the ruler <span className="figure text-xs text-soft">{spanText(stretch)}</span>
      </MenuItem>
      <MenuItem
        disabled={!selectedRange}
        onSelect={() => selectedRange && take(tempo.toTicks(selectedRange.from), tempo.toTicks(selectedRange.to))}
      >
        The range selected on the lanes <span className="figure text-xs text-soft">{spanText(selectedRange)}</span>
      </MenuItem>
      {session.ranges.length > 0 && <MenuHeading>Saved ranges</MenuHeading>}
      {session.ranges.map((r) => (
        <MenuItem key={r.id} onSelect={() => take(r.from, r.to)}>
          {shownName(r)}
        </MenuItem>
      ))}
    </Menu>
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
