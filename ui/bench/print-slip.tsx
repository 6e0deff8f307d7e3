"use client";

import { ChevronDown } from "lucide-react";
import { Select } from "radix-ui";
import { toast } from "sonner";
import { useMemo } from "react";
import { planPrint } from "../../core/printing/plan";
import type { PrintPlan, PrintWarning } from "../../core/printing/print";
import type { PrintTap, Slip } from "../../core/printing/slip";
import { formatClock } from "../../core/time/clock";
import { byteText } from "../parts/bytes";
import { Editable } from "../parts/editable";
import { Fact } from "../parts/fact";
import { Floating } from "../parts/floating";
import { usePlayback } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts, useSessionStore } from "../session/provider";
import { trackName } from "../session/track-state";
import { printActions } from "./print-actions";
import type { Wanted } from "./slip-store";
import { slipFor, useSlip } from "./slip-store";

interface Option<T extends string> {
  readonly value: T;
  readonly label: string;
  /** What it means, in one line. */
  readonly about?: string;
}

/** A part of the sentence that can be chosen otherwise. */
function Pick<T extends string>({ label, value, options, onChange }: { readonly label: string; readonly value: T; readonly options: readonly Option<T>[]; readonly onChange: (value: T) => void }) {
  const store = useSessionStore();
  return (
    <Select.Root value={value} onValueChange={(v) => onChange(v as T)}>
      <Select.Trigger
        aria-label={label}
        // Enter alone opens the list; with Ctrl it prints, as everywhere, and as a trigger it would open all the same.
        onKeyDown={(e) => {
          if (e.key !== "Enter" || !(e.ctrlKey || e.metaKey)) return;
          e.preventDefault();
          printActions(store, (text) => toast.error(text)).find((a) => a.id === "print")?.run();
        }}
        className="inline-flex items-baseline gap-0.5 font-semibold text-spot underline decoration-2 underline-offset-[5px] hover:bg-spot-wash">
        <Select.Value />
        <ChevronDown size={12} aria-hidden className="self-center" />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content position="popper" side="top" sideOffset={6} collisionPadding={12} className="z-50 max-h-[60vh] max-w-[400px] overflow-hidden rounded-sm border border-ink bg-lift text-ink shadow-[4px_4px_0_var(--rule)]">
          <Select.Viewport className="p-1">
            {options.map((o) => (
              <Select.Item key={o.value} value={o.value} className="relative grid cursor-pointer rounded-sm px-3 py-1.5 text-[13px] outline-none data-[highlighted]:bg-spot-wash data-[state=checked]:font-semibold">
                <Select.ItemText>{o.label}</Select.ItemText>
                {o.about && <span className="text-xs font-normal text-soft">{o.about}</span>}
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}

const TAPS: readonly Option<PrintTap>[] = [
  { value: "clip", label: "at its clips", about: "fades, gain and stretching are baked; every device goes on living" },
  { value: "devices", label: "after its devices", about: "the sound itself is baked; fader, pan and sends go on living" },
  { value: "channel", label: "after its fader", about: "fader, pan and mute are baked, too" },
  { value: "group", label: "after its groups", about: "with every group on the way; it runs straight into the mix" },
  { value: "mix", label: "at the end of the mix", about: "everything up to the output" },
];

/** The slip for what is selected. */
export function usePrintSlip(): Slip {
  const { session, selected, selectedClips } = useSessionParts((s) => ({ session: s.session, selected: s.selected, selectedClips: s.selectedClips }));
  const { wanted, chosenOnly } = useSlip();
  return useMemo(() => slipFor(session, { selected, selectedClips }, wanted, chosenOnly), [session, selected, selectedClips, wanted, chosenOnly]);
}

/** The slip and its plan, or why there is none. Planned only while a print is being written: it looks at everything upstream. */
export function usePrintPlan(): { readonly slip: Slip; readonly plan: ReturnType<typeof planPrint> | null } {
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const mode = useSlip((s) => s.mode);
  const slip = usePrintSlip();
  return useMemo(() => ({ slip, plan: mode !== "print" || slip.tracks.length === 0 ? null : planPrint(session, slip) }), [session, slip, mode]);
}

/** The print as one sentence, each part of which can be changed where it stands; under it what that means. */
export function PrintSlip({ slip, plan }: { readonly slip: Slip; readonly plan: NonNullable<ReturnType<typeof usePrintPlan>["plan"]> }) {
  const { session, selectedClips, selectedRange } = useSessionParts((s) => ({ session: s.session, selectedClips: s.selectedClips, selectedRange: s.selectedRange }));
  const { stretch } = usePlayback((p) => ({ stretch: p.stretch }));
  const { want, only } = useSlip();
  const tracks = session.tracks.filter((t) => slip.tracks.includes(t.id));
  const sums = tracks.some((t) => t.kind === "group" || t.kind === "return" || t.kind === "mix");
  const notes = tracks.some((t) => t.kind === "instrument");
  const mix = tracks.some((t) => t.kind === "mix");
  const names = tracks.length <= 2 ? tracks.map(trackName).join(" and ") : `${tracks.length} tracks`;
  const clock = clockOf(session);
  const taps = TAPS.filter((t) => (mix ? t.value === "mix" : t.value !== "mix" && (t.value !== "clip" || (!sums && !notes))));
  const ranges = rangeOptions(session.ranges, selectedRange, stretch, (frame) => barText(clock, frame));
  const rangeValue = rangeKey(slip.range);
  return (
    <>
      <p className="text-[17px] leading-[27px] tracking-[-0.01em]">
        Print{" "}
        {selectedClips.length > 0 && !sums
          ? <Pick label="What is printed" value={slip.clips === null ? "tracks" : "clips"} onChange={(v) => only(v === "clips")} options={[{ value: "clips", label: `${selectedClips.length === 1 ? "the chosen clip" : `${selectedClips.length} chosen clips`} of ${names}` }, { value: "tracks", label: names, about: "everything on it" }]} />
          : <b className="font-semibold">{names}</b>}{" "}
        from <Pick label="Range" value={rangeValue} options={ranges.some((r) => r.value === rangeValue) ? ranges : [...ranges, { value: rangeValue, label: rangeText(slip.range, (f) => barText(clock, f)) }]} onChange={(v) => want({ range: rangeOf(v, selectedRange, stretch) ?? slip.range })} />, tapped{" "}
        <Pick label="Tap" value={slip.tap} options={taps} onChange={(tap) => want({ tap, ...(tap === "clip" ? {} : slip.placed === "same track" ? { placed: "new track" as const } : {}) })} />
        {(slip.tap === "channel" || slip.tap === "group") && <>{" "}<Pick label="Returns" value={slip.returns ? "with" : "without"} options={[{ value: "without", label: "without returns", about: "its sends go on living" }, { value: "with", label: "with its returns", about: "what its sends produce is in the print" }]} onChange={(v) => want({ returns: v === "with" })} /></>}
        , as{" "}
        {tracks.length > 1
          ? <Pick label="Together" value={slip.together ? "together" : "each"} options={[{ value: "each", label: "one print each" }, { value: "together", label: "one print of all", about: "summed at the tap" }]} onChange={(v) => want({ together: v === "together" })} />
          : <Pick label="Pieces" value={slip.pieces} options={[{ value: "one piece", label: "one piece" }, { value: "each run", label: "a piece for each run", about: "clips that touch stay together" }, { value: "each clip", label: "a piece for each clip" }]} onChange={(pieces) => want({ pieces })} />}
        {slip.tap !== "clip" && <>{" "}<Pick label="Tail" value={slip.tail} options={[{ value: "measured", label: "with its tail", about: "until it has been quiet for half a second" }, { value: "none", label: "without a tail" }]} onChange={(tail) => want({ tail })} /></>}
        ,{" "}
        <Pick label="Channels" value={slip.channels} options={[{ value: "as the source", label: "mono or stereo as it is", about: "mono where both channels are equal to the last bit" }, { value: "stereo", label: "stereo" }, { value: "mono", label: "mono", about: "half of both channels' sum" }]} onChange={(channels) => want({ channels })} />{" "}
        <Pick label="Depth" value={slip.depth} options={[{ value: "32f", label: "in float", about: "holds every sample exactly" }, { value: "24", label: "in 24 bits", about: "with dither" }, { value: "16", label: "in 16 bits", about: "with dither" }]} onChange={(depth) => want({ depth })} />
        , called <span className="inline-block align-baseline"><Editable value={slip.name} shown={plan.ok && plan.value.files.length === 1 ? (plan.value.files[0]?.name ?? slip.name) : slip.name} label="Name of the print" onCommit={(name) => want({ name: name || "{track} print" })} className="font-semibold text-spot underline decoration-2 underline-offset-[5px]" /></span>, on{" "}
        <Pick
          label="Placed" value={slip.placed} onChange={(placed) => want({ placed, ...(placed === "same track" ? { tap: "clip" as const, afterwards: "replace" as const } : {}) })}
          options={[{ value: "new track", label: "a new track below" }, ...(sums || notes ? [] : [{ value: "same track" as const, label: "the same track", about: "in place of its clips, before its devices" }]), { value: "shelf", label: "the shelf only", about: "kept with the session, not placed" }]}
        />
        {slip.placed !== "shelf" && !mix && (
          <>; then <Pick label="Afterwards" value={slip.afterwards} options={slip.placed === "same track" ? [{ value: "replace", label: "replace its clips" }] : [{ value: "park", label: "park the source", about: "it rests, and keeps everything" }, { value: "keep live", label: "keep the source live", about: "the print is placed muted" }, { value: "replace", label: "clear the source's clips", about: "they can be brought back by undo" }]} onChange={(afterwards) => want({ afterwards })} /></>
        )}
        .
      </p>
      {plan.ok ? <Facts plan={plan.value} /> : (
        <p className="mt-2 text-[12.5px] leading-[19px] text-caution">{plan.problems.slice(0, 2).map((p) => `${p.where === "slip" ? "" : `${p.where}: `}${p.what}`).join(". ")}.</p>
      )}
    </>
  );
}

function Facts({ plan }: { readonly plan: PrintPlan }) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const { want } = useSlip();
  const clock = clockOf(session);
  const frames = plan.files.reduce((sum, f) => sum + f.to - f.from, 0);
  const width = plan.slip.depth === "16" ? 2 : plan.slip.depth === "24" ? 3 : 4;
  const end = Math.max(...plan.files.map((f) => f.to));
  const [warning, ...more] = plan.warnings;
  const mend = ({ label, slip, edits }: NonNullable<PrintWarning["fix"]>) => {
    if (slip) want(slip);
    if (edits) edit(label, edits);
  };
  return (
    <dl className="mt-1.5 grid grid-cols-[76px_minmax(0,1fr)] gap-x-3 text-[12.5px] leading-[18px]">
      <Fact term="Baked in">{plan.baked.join(" · ")}</Fact>
      <Fact term="Stays live">{plan.live.join(" · ")}</Fact>
      <Fact term="Length">
        {plan.files.length > 1 && <><span className="figure">{plan.files.length}</span> files, </>}<span className="figure">{formatClock(frames / session.rate)}</span>{plan.tail === "measured" ? " and the measured tail" : ""}, to bar <span className="figure">{barText(clock, end)}</span> · about <span className="figure">{byteText(frames * 2 * width)}</span>
      </Fact>
      {warning && (
        <Fact term="Mind">
          <Warning warning={warning} mend={mend} />
          {more.length > 0 && (
            <Floating label="What else to mind" width={360} trigger={<button type="button" className="ml-2 text-soft underline underline-offset-2 hover:text-ink">and {more.length} more</button>}>
              <ul className="grid gap-2 text-[13px]">{more.map((w) => <li key={w.what}><Warning warning={w} mend={mend} /></li>)}</ul>
            </Floating>
          )}
        </Fact>
      )}
    </dl>
  );
}

function Warning({ warning, mend }: { readonly warning: PrintWarning; readonly mend: (fix: NonNullable<PrintWarning["fix"]>) => void }) {
  const { what, fix } = warning;
  return (
    <>
      <span className="text-caution" title={what}>{what}</span>
      {fix && <button type="button" className="ml-2 font-semibold text-spot underline underline-offset-2" onClick={() => mend(fix)}>{fix.label}</button>}
    </>
  );
}

type Stretch = { readonly from: number; readonly to: number } | null;

function rangeOptions(saved: readonly { readonly id: string; readonly name: string }[], chosen: Stretch, marked: Stretch, bar: (frame: number) => string): readonly Option<string>[] {
  return [
    { value: "zero", label: "the start to the last sound", about: "from the timeline's zero, so that it lines up with everything" },
    { value: "own", label: "its first clip to its last sound" },
    ...(chosen ? [{ value: "chosen", label: `bar ${bar(chosen.from)} to ${bar(chosen.to)}`, about: "the stretch chosen on the lanes" }] : []),
    ...(marked ? [{ value: "marked", label: `bar ${bar(marked.from)} to ${bar(marked.to)} (marked)`, about: "the stretch marked on the ruler" }] : []),
    ...saved.map((r) => ({ value: `saved/${r.id}`, label: r.name, about: "a saved range" })),
  ];
}

function rangeOf(value: string, chosen: Stretch, marked: Stretch): Wanted["range"] | null {
  if (value === "zero" || value === "own") return { by: value };
  if (value === "chosen" && chosen) return { by: "stretch", from: chosen.from, to: chosen.to };
  if (value === "marked" && marked) return { by: "stretch", from: marked.from, to: marked.to };
  return value.startsWith("saved/") ? { by: "saved", range: value.slice(6) } : null;
}

const rangeKey = (range: Slip["range"]): string => (range.by === "saved" ? `saved/${range.range}` : range.by === "stretch" ? `stretch/${range.from}/${range.to}` : range.by);
const rangeText = (range: Slip["range"], bar: (frame: number) => string): string => (range.by === "stretch" ? `bar ${bar(range.from)} to ${bar(range.to)}` : "a range");
