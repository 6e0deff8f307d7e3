"use client";

import { useMemo } from "react";
import { planPrint } from "../../core/printing/plan";
import type { Slip } from "../../core/printing/slip";
import { Editable } from "../parts/editable";
import { usePlayback } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { Facts } from "./slip-facts";
import { Pick } from "./slip-pick";
import { AlsoCuts, Length, Moving, NameChips, TailPick } from "./slip-parts";
import { riddenIn, slipFor, useSlip } from "./slip-store";
import type { Part } from "./slip-sentence";
import { sentenceOf } from "./slip-sentence";
import { What } from "./slip-what";
import { sayRefusals } from "../../core/words/refusals";

/** The name of one file, or of the first of several. */
const namesText = ([first = "", ...more]: readonly string[]): string =>
  more.length === 0 ? first : `${first} and ${more.length} more`;

/** As a name tells it. */
const today = (): string => new Date().toISOString().slice(0, 10);

/** The slip for what is selected. */
export function usePrintSlip(): Slip {
  const { id, session, selected, selectedClips } = useSessionParts((s) => ({
    id: s.id,
    session: s.session,
    selected: s.selected,
    selectedClips: s.selectedClips,
  }));
  const { wanted, subject, pad, ridden } = useSlip();
  return useMemo(
    () => slipFor(session, { selected, selectedClips }, wanted, { subject, pad, ridden: riddenIn(ridden, id) }),
    [id, session, selected, selectedClips, wanted, subject, pad, ridden],
  );
}

/**
 * The slip and its plan, or why there is none. Planned only while a print is being written: it looks at everything
 * upstream.
 */
export function usePrintPlan(): { readonly slip: Slip; readonly plan: ReturnType<typeof planPrint> | null } {
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const mode = useSlip((s) => s.mode);
  const slip = usePrintSlip();
  return useMemo(
    () => ({ slip, plan: mode !== "print" || slip.tracks.length === 0 ? null : planPrint(session, slip, today()) }),
    [session, slip, mode],
  );
}

/** The sentence of a slip, part by part. */
function useSentence(slip: Slip): readonly Part[] {
  const { session, selectedRange } = useSessionParts((s) => ({ session: s.session, selectedRange: s.selectedRange }));
  const { stretch } = usePlayback((p) => ({ stretch: p.stretch }));
  const clock = clockOf(session);
  return sentenceOf(session, slip, {
    chosen: selectedRange,
    marked: stretch,
    bar: (frame) => barText(clock, frame),
  });
}

/** What is printed and where it is tapped; the rest of the sentence stays as it is. */
export function PrintInShort({ slip, plan }: PlannedSlip) {
  const tap = useSentence(slip).find((p) => typeof p !== "string" && p.part === "choice" && p.label === "Tap");
  return (
    <>
      Print <SentencePart part={{ part: "what" }} slip={slip} plan={plan} />
      {tap && (
        <>
          , tapped <SentencePart part={tap} slip={slip} plan={plan} />
        </>
      )}
      {!plan.ok && <span className="ml-2 text-[12.5px] text-caution">{sayRefusals(plan.refusals.slice(0, 1))}.</span>}
    </>
  );
}

/** The print as one sentence, each part of which can be changed where it stands; under it what that means. */
export function PrintSlip({ slip, plan }: PlannedSlip) {
  const parts = useSentence(slip);
  return (
    <>
      <p className="text-[17px] leading-[26px] tracking-[-0.01em]">
        {parts.map((part, i) => (
          <SentencePart key={keyOf(part, i)} part={part} slip={slip} plan={plan} />
        ))}
      </p>
      {plan.ok ? (
        <Facts plan={plan.value} />
      ) : (
        <p className="mt-2 text-[12.5px] leading-[19px] text-caution">{sayRefusals(plan.refusals.slice(0, 2))}.</p>
      )}
    </>
  );
}

export interface PlannedSlip {
  readonly slip: Slip;
  readonly plan: NonNullable<ReturnType<typeof usePrintPlan>["plan"]>;
}

/** A picker stays the same one, and keeps the focus, when parts before it come or go. */
const keyOf = (part: Part, place: number): string | number =>
  typeof part === "string" ? place : part.part === "choice" ? part.label : part.part;

function SentencePart({ part, slip, plan }: PlannedSlip & { readonly part: Part }) {
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const { want, onto } = useSlip();
  if (typeof part === "string") return part;
  switch (part.part) {
    case "choice":
      return (
        <Pick
          label={part.label}
          value={part.value}
          options={part.options}
          onChange={(value) => {
            const change = part.change(value);
            if ("want" in change) want(change.want);
            else onto(change.onto);
          }}
        />
      );
    case "what":
      return <What slip={slip} session={session} />;
    case "moving":
      return <Moving slip={slip} tracks={session.tracks.filter((t) => slip.tracks.includes(t.id))} />;
    case "tail":
      return <TailPick tail={slip.tail} />;
    case "other taps":
      return <AlsoCuts slip={slip} options={part.options} />;
    case "length of the crossfade":
      return (
        <Length
          label="Length of the crossfade in milliseconds"
          value={(part.frames / session.rate) * 1000}
          min={1}
          max={60_000}
          unit="ms"
          onCommit={(ms) => want({ seam: { by: "crossfade", frames: Math.round((ms / 1000) * session.rate) } })}
        />
      );
    case "name":
      return (
        <>
          <span className="inline-block align-baseline">
            <Editable
              value={slip.name}
              shown={plan.ok ? namesText(plan.value.files.map((f) => f.name)) : slip.name}
              label="Name of the print"
              onCommit={(name) => want({ name: name || "{track} print" })}
              className="font-semibold text-spot underline decoration-2 underline-offset-[5px]"
            />
          </span>
          <NameChips name={slip.name} />
        </>
      );
  }
}
