"use client";

import { Plus } from "lucide-react";
import type { ReactNode } from "react";
import type { PrintChip } from "../../core/printing/print-name";
import { PRINT_CHIPS } from "../../core/printing/print-name";
import type { Slip } from "../../core/printing/slip";
import { leavesOut } from "../../core/printing/slip";
import type { Automation, Track } from "../../core/session/document";
import { Floating } from "../parts/floating";
import { Menu, MenuItem } from "../parts/menu";
import { NumberField } from "../parts/number-field";
import type { Option } from "../parts/option-list";
import { Pick } from "./slip-pick";
import { useSlip } from "./slip-store";
import { tapKey, tapOf } from "./slip-taps";

const LINK = "font-semibold text-spot underline decoration-2 underline-offset-[5px] hover:bg-spot-wash";

/** A number in the sentence, with its unit. */
export function Length({
  unit,
  ...field
}: {
  readonly label: string;
  readonly value: number;
  readonly min: number;
  readonly max: number;
  readonly unit: string;
  readonly onCommit: (value: number) => void;
}) {
  return (
    <span className="whitespace-nowrap">
      <NumberField
        {...field}
        digits={Number.isInteger(field.value) ? 0 : 2}
        className="figure h-6 w-14 rounded-sm border border-rule bg-lift px-1 text-right text-[14px] hover:border-ink"
      />{" "}
      {unit}
    </span>
  );
}

/** How a print ends: when it is quiet, at once, or after so many beats or seconds. */
export function TailPick({ tail }: { readonly tail: Slip["tail"] }) {
  const want = useSlip((s) => s.want);
  const by = typeof tail === "string" ? tail : tail.by;
  return (
    <>
      <Pick
        label="Tail"
        value={by}
        options={[
          { value: "measured", label: "with its tail", about: "until it has been quiet for half a second" },
          { value: "none", label: "without a tail" },
          { value: "beats", label: "with a tail of beats", about: "exactly so many, whether it has rung out or not" },
          { value: "seconds", label: "with a tail of seconds", about: "exactly so many, to the frame" },
        ]}
        onChange={(v) =>
          want({ tail: v === "beats" ? { by: v, length: 4 } : v === "seconds" ? { by: v, length: 2 } : v })
        }
      />
      {typeof tail !== "string" && (
        <>
          {": "}
          <Length
            label={`Length of the tail in ${tail.by}`}
            value={tail.length}
            min={0.01}
            max={tail.by === "beats" ? 4096 : 600}
            unit={tail.by}
            onCommit={(length) => want({ tail: { ...tail, length } })}
          />
        </>
      )}
    </>
  );
}

/** Other taps that are printed in the same pass, onto the shelf. */
export function AlsoCuts({ slip, options }: { readonly slip: Slip; readonly options: readonly Option<string>[] }) {
  const want = useSlip((s) => s.want);
  const own = tapKey(slip);
  const others = options.filter((o) => o.value !== own);
  if (others.length === 0) return null;
  const chosen = slip.also.map(tapKey).filter((key) => key !== own);
  const said = others.filter((o) => chosen.includes(o.value)).map((o) => o.label);
  return (
    <>
      {" "}
      <Sheet
        label="Other cuts"
        trigger={
          said.length > 0 ? `and also ${said.join(" and ")}` : <Plus size={13} aria-label="another cut as well" />
        }
      >
        <p className="eyebrow">Also print, onto the shelf</p>
        {others.map((o) => (
          <Tick
            key={o.value}
            label={o.label}
            checked={chosen.includes(o.value)}
            onChange={(on) =>
              want({ also: (on ? [...chosen, o.value] : chosen.filter((key) => key !== o.value)).map(tapOf) })
            }
          />
        ))}
      </Sheet>
    </>
  );
}

const KINDS: readonly { readonly target: Automation["target"]; readonly label: string }[] = [
  { target: "fader", label: "fader" },
  { target: "pan", label: "pan" },
  { target: "mute", label: "mute" },
  { target: "send", label: "sends" },
  { target: "param", label: "devices" },
];

/** What moves in a print, where anything does: each kind of control by itself. */
export function Moving({ slip, tracks }: { readonly slip: Slip; readonly tracks: readonly Track[] }) {
  const want = useSlip((s) => s.want);
  const behind = slip.tap === "channel" || slip.tap === "group" || slip.tap === "mix";
  const inPrint = (target: Automation["target"]) =>
    (target === "param" ? slip.tap !== "clip" : behind && (target !== "send" || slip.returns)) &&
    tracks.some((t) => t.automation.some((a) => a.target === target));
  const kinds = KINDS.filter(({ target }) => inPrint(target));
  if (kinds.length === 0) return null;
  const still = kinds.filter(({ target }) => leavesOut(slip, target));
  const said =
    still.length === 0
      ? "as it moves"
      : still.length === kinds.length
        ? "without its automation"
        : `with ${still.map((k) => k.label).join(" and ")} held still`;
  return (
    <>
      {" "}
      <Sheet label="Automation" trigger={said}>
        <p className="eyebrow">Moves in the print</p>
        {kinds.map(({ target, label }) => (
          <Tick
            key={target}
            label={label}
            checked={!leavesOut(slip, target)}
            onChange={(on) => {
              const out = KINDS.map((k) => k.target).filter((t) => (t === target ? !on : leavesOut(slip, t)));
              want({ automation: out.length === 0 ? "in" : out.length === KINDS.length ? "out" : out });
            }}
          />
        ))}
        <p className="mt-1 text-xs text-soft">
          What is held still is printed as it stands at the start; what can, moves on to the new track.
        </p>
      </Sheet>
    </>
  );
}

const CHIP_WORDS: Readonly<Record<PrintChip, string>> = {
  track: "track",
  clip: "clip",
  phrase: "phrase",
  tap: "tap",
  session: "session",
  tempo: "tempo",
  bar: "bar it begins at",
  date: "date",
  number: "order number",
};

/** Puts what a name can say of its print at its end. */
export function NameChips({ name }: { readonly name: string }) {
  const want = useSlip((s) => s.want);
  return (
    <Menu
      label="Add to the name"
      trigger={
        <button
          type="button"
          aria-label="Add to the name"
          title="Add to the name: track, clip, tempo, bar, date…"
          className="ml-0.5 inline-grid size-6 place-items-center rounded-sm align-middle text-spot hover:bg-spot-wash"
        >
          <Plus size={13} aria-hidden />
        </button>
      }
    >
      {PRINT_CHIPS.map((chip) => (
        <MenuItem key={chip} disabled={name.includes(`{${chip}}`)} onSelect={() => want({ name: `${name} {${chip}}` })}>
          {CHIP_WORDS[chip]}
        </MenuItem>
      ))}
    </Menu>
  );
}

function Sheet({
  label,
  trigger,
  children,
}: {
  readonly label: string;
  readonly trigger: ReactNode;
  readonly children: ReactNode;
}) {
  return (
    <Floating
      label={label}
      trigger={
        <button
          type="button"
          aria-label={typeof trigger === "string" ? `${label}: ${trigger}` : label}
          className={LINK}
        >
          {trigger}
        </button>
      }
    >
      <div className="grid gap-0.5 text-[13px]">{children}</div>
    </Floating>
  );
}

function Tick({
  label,
  checked,
  onChange,
}: {
  readonly label: string;
  readonly checked: boolean;
  readonly onChange: (on: boolean) => void;
}) {
  return (
    <label className="flex min-h-7 items-center gap-2 rounded-sm px-1 hover:bg-spot-wash">
      <input
        type="checkbox"
        className="size-4 accent-[var(--spot)]"
        checked={checked}
        onChange={(e) => onChange(e.target.checked)}
      />
      {label}
    </label>
  );
}
