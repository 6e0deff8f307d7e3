"use client";

import { useMemo } from "react";
import { declarationOf } from "../../core/devices/catalogue";
import { planPrint } from "../../core/printing/plan";
import type { Slip } from "../../core/printing/slip";
import { balancedTap } from "../../core/printing/slip";
import { Editable } from "../parts/editable";
import { usePlayback } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { Facts } from "./slip-facts";
import type { Option } from "../parts/option-list";
import { Pick } from "./slip-pick";
import { rangeKey, rangeOf, rangeOptions, rangeText } from "./slip-ranges";
import { AlsoCuts, Length, Moving, NameChips, TailPick } from "./slip-parts";
import { riddenIn, slipFor, useSlip } from "./slip-store";
import { behindDynamics, tapKey, tapOf, tapOptions } from "./slip-taps";
import { padKey, padOptions, padOf, firstRoom } from "./slip-pads";
import { What } from "./slip-what";
import { sayRefusals } from "../../core/words/refusals";

const CHANNELS: readonly Option<Slip["channels"]>[] = [
  {
    value: "as the source",
    label: "mono or stereo as it is",
    about: "mono where both channels are equal to the last bit",
  },
  { value: "stereo", label: "stereo" },
  { value: "mono", label: "mono", about: "half of both channels' sum" },
];
const TWO_MONO: Option<Slip["channels"]> = {
  value: "two mono",
  label: "two mono files",
  about: "left and right by themselves",
};
const DEPTHS: readonly Option<Slip["depth"]>[] = [
  { value: "32f", label: "in float", about: "holds every sample exactly" },
  { value: "24", label: "in 24 bits", about: "with dither" },
  { value: "16", label: "in 16 bits", about: "with dither" },
];
const AFTERWARDS: readonly Option<Slip["afterwards"]>[] = [
  { value: "park", label: "park the source", about: "it rests, and keeps everything" },
  {
    value: "park and hide",
    label: "park and hide the source",
    about: "it rests out of sight until hidden tracks are shown",
  },
  { value: "keep live", label: "keep the source live", about: "the print is placed muted" },
  {
    value: "replace",
    label: "clear the source's clips",
    about: "they can be brought back by undo, or by reopening the print",
  },
];
/** A crossfade at a loop's seam, in seconds. */
const SEAM_S = 0.05;

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

/**
 * The print as one sentence, each part of which can be changed where it stands; under it what that means. Parts that
 * cannot be meant are not there.
 */
export function PrintSlip({
  slip,
  plan,
}: {
  readonly slip: Slip;
  readonly plan: NonNullable<ReturnType<typeof usePrintPlan>["plan"]>;
}) {
  const { session, selectedRange } = useSessionParts((s) => ({ session: s.session, selectedRange: s.selectedRange }));
  const { stretch } = usePlayback((p) => ({ stretch: p.stretch }));
  const { want, onto } = useSlip();
  const tracks = session.tracks.filter((t) => slip.tracks.includes(t.id));
  const sums = tracks.some((t) => t.kind === "group" || t.kind === "return" || t.kind === "mix");
  const notes = tracks.some((t) => t.kind === "instrument");
  const mix = tracks.some((t) => t.kind === "mix");
  const phrase = slip.of.what === "phrase";
  const clock = clockOf(session);
  const bar = (frame: number) => barText(clock, frame);
  const taps = tapOptions(session, tracks);
  const ranges = rangeOptions(session.ranges, selectedRange, stretch, bar, tracks.length > 1 && !slip.together);
  const rangeValue = rangeKey(slip.range);
  const ranged = slip.range.by === "stretch" || slip.range.by === "saved";
  const away = slip.placed === "shelf" || slip.placed === "pad";
  const realTime = (sums || mix ? session.tracks.filter((t) => !t.parked && !t.frozen) : tracks).some((t) =>
    t.devices.some((d) => d.on && declarationOf(d.type)?.realTime),
  );
  return (
    <>
      <p className="text-[17px] leading-[26px] tracking-[-0.01em]">
        Print <What slip={slip} session={session} />
        {!phrase && (
          <>
            {" "}
            from{" "}
            <Pick
              label="Range"
              value={rangeValue}
              options={
                ranges.some((r) => r.value === rangeValue)
                  ? ranges
                  : [...ranges, { value: rangeValue, label: rangeText(slip.range, bar) }]
              }
              onChange={(v) => want({ range: rangeOf(v, selectedRange, stretch) ?? slip.range })}
            />
            , tapped{" "}
            <Pick
              label="Tap"
              value={tapKey(slip)}
              options={taps}
              onChange={(key) => {
                const at = tapOf(key);
                want({
                  ...at,
                  ...(at.tap === "clip" ? {} : slip.placed === "same track" ? { placed: "new track" as const } : {}),
                });
              }}
            />
            <AlsoCuts slip={slip} options={taps} />
          </>
        )}
        {(slip.tap === "channel" || slip.tap === "group" || (slip.tap === "mix" && !mix)) && (
          <>
            {" "}
            <Pick
              label="Returns"
              value={slip.returns ? "with" : "without"}
              options={[
                { value: "without", label: "without returns", about: "its sends go on living" },
                { value: "with", label: "with its returns", about: "what its sends produce is in the print" },
              ]}
              onChange={(v) => want({ returns: v === "with" })}
            />
          </>
        )}
        {((slip.tap === "group" || slip.tap === "mix") && !mix && behindDynamics(session, tracks, slip.tap)) ||
        slip.linked ? (
          <>
            {" "}
            <Pick
              label="Dynamics on the way"
              value={slip.linked ? "linked" : "own"}
              options={[
                { value: "own", label: "as if alone", about: "compressors on the way hear nothing but this" },
                {
                  value: "linked",
                  label: "held by the whole",
                  about: "they hold it back as far as they do with all that sounds; shares add up to the whole",
                },
              ]}
              onChange={(v) => want({ linked: v === "linked" })}
            />
          </>
        ) : null}
        <Moving slip={slip} tracks={tracks} />
        {!phrase && (
          <>
            , as{" "}
            {ranged && (
              <>
                <Pick
                  label="Loop"
                  value={slip.seam.by}
                  options={[
                    { value: "none", label: "a plain stretch" },
                    {
                      value: "fold",
                      label: "a seamless loop",
                      about: "what rings over its end sounds at its beginning",
                    },
                    {
                      value: "crossfade",
                      label: "a loop with a crossfade",
                      about: "its end fades into what came before it",
                    },
                  ]}
                  onChange={(by) =>
                    want({ seam: by === "crossfade" ? { by, frames: Math.round(SEAM_S * session.rate) } : { by } })
                  }
                />
                {slip.seam.by === "crossfade" && (
                  <>
                    {" of "}
                    <Length
                      label="Length of the crossfade in milliseconds"
                      value={(slip.seam.frames / session.rate) * 1000}
                      min={1}
                      max={60_000}
                      unit="ms"
                      onCommit={(ms) =>
                        want({ seam: { by: "crossfade", frames: Math.round((ms / 1000) * session.rate) } })
                      }
                    />
                  </>
                )}
                {slip.seam.by === "none" ? ", " : ""}
              </>
            )}
            {slip.seam.by === "none" && tracks.length > 1 && (
              <Pick
                label="Together"
                value={slip.together ? "together" : "each"}
                options={[
                  { value: "each", label: "one print each" },
                  { value: "together", label: "one print of all", about: "summed with their faders and pans" },
                ]}
                onChange={(v) =>
                  want(
                    v === "together" && (slip.tap === "clip" || slip.tap === "devices")
                      ? { together: true, before: null, ...balancedTap(session, tracks) }
                      : { together: v === "together" },
                  )
                }
              />
            )}
            {slip.seam.by === "none" && !slip.together && (
              <>
                {tracks.length > 1 ? ", " : ""}
                <Pick
                  label="Pieces"
                  value={slip.pieces}
                  options={[
                    { value: "one piece", label: tracks.length > 1 ? "each in one piece" : "one piece" },
                    { value: "each run", label: "a piece for each run", about: "clips that touch stay together" },
                    { value: "each clip", label: "a piece for each clip" },
                  ]}
                  onChange={(pieces) => want({ pieces })}
                />
              </>
            )}
            {slip.tap !== "clip" && slip.seam.by === "none" && (
              <>
                {" "}
                <TailPick tail={slip.tail} />
              </>
            )}
          </>
        )}
        ,{" "}
        <Pick
          label="Channels"
          value={slip.channels}
          options={away ? [...CHANNELS, TWO_MONO] : CHANNELS}
          onChange={(channels) => want({ channels })}
        />{" "}
        {away && (
          <>
            <Pick
              label="Rate"
              value={String(slip.rate ?? "session")}
              options={[
                { value: "session", label: `${session.rate / 1000} kHz` },
                ...[44100, 48000, 88200, 96000]
                  .filter((r) => r !== session.rate)
                  .map((r) => ({ value: String(r), label: `${r / 1000} kHz`, about: "converted" })),
              ]}
              onChange={(v) => want({ rate: v === "session" ? null : (Number(v) as 44100 | 48000 | 88200 | 96000) })}
            />{" "}
          </>
        )}
        <Pick label="Depth" value={slip.depth} options={DEPTHS} onChange={(depth) => want({ depth })} />
        {(realTime || slip.pass === "real time") && (
          <>
            ,{" "}
            <Pick
              label="Pass"
              value={slip.pass}
              options={[
                { value: "offline", label: "computed" },
                {
                  value: "real time",
                  label: "in real time, through its hardware",
                  about: "pinged first, so that it lines up; sounds a little otherwise every time",
                },
              ]}
              onChange={(pass) => want({ pass })}
            />
          </>
        )}
        , called{" "}
        <span className="inline-block align-baseline">
          <Editable
            value={slip.name}
            shown={plan.ok ? namesText(plan.value.files.map((f) => f.name)) : slip.name}
            label="Name of the print"
            onCommit={(name) => want({ name: name || "{track} print" })}
            className="font-semibold text-spot underline decoration-2 underline-offset-[5px]"
          />
        </span>
        <NameChips name={slip.name} />, on{" "}
        <Pick
          label="Placed"
          value={slip.placed}
          onChange={(placed) =>
            placed === "pad"
              ? onto(firstRoom(session))
              : want({
                  placed,
                  ...(slip.placed === "pad" ? { afterwards: "park" as const } : {}),
                  ...(placed === "same track" ? { tap: "clip" as const, afterwards: "replace" as const } : {}),
                })
          }
          options={
            phrase
              ? [
                  { value: "new track" as const, label: "a new track below, wherever it is placed" },
                  { value: "shelf" as const, label: "the shelf only", about: "kept with the session, not placed" },
                ]
              : [
                  { value: "new track", label: "a new track below" },
                  ...(sums || notes
                    ? []
                    : [
                        {
                          value: "same track" as const,
                          label: "the same track",
                          about: "in place of its clips, before its devices",
                        },
                      ]),
                  { value: "shelf", label: "the shelf only", about: "kept with the session, not placed" },
                  ...(firstRoom(session)
                    ? [
                        {
                          value: "pad" as const,
                          label: "a pad of a kit",
                          about: "as a layer of it; several files onto a pad each",
                        },
                      ]
                    : []),
                ]
          }
        />
        {slip.placed === "pad" && slip.pad && (
          <>
            ,{" "}
            <Pick
              label="Pad"
              value={padKey(slip.pad)}
              options={padOptions(session)}
              onChange={(key) => onto(padOf(session, key))}
            />
          </>
        )}
        {!away && !mix && (
          <>
            ; then{" "}
            <Pick
              label="Afterwards"
              value={slip.afterwards}
              options={slip.placed === "same track" ? [{ value: "replace", label: "replace its clips" }] : AFTERWARDS}
              onChange={(afterwards) => want({ afterwards })}
            />
          </>
        )}
        .
      </p>
      {plan.ok ? (
        <Facts plan={plan.value} />
      ) : (
        <p className="mt-2 text-[12.5px] leading-[19px] text-caution">{sayRefusals(plan.refusals.slice(0, 2))}.</p>
      )}
    </>
  );
}
