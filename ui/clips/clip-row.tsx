"use client";

import { reversed } from "../../core/session/bend-edits";
import { clipSpan } from "../../core/session/clips";
import type { PatchOf } from "../../core/session/records";
import type { AudioClip, Clip, PlacedClip, Session } from "../../core/session/document";
import { formatClock } from "../../core/time/clock";
import { Choice } from "../parts/choice";
import { NumberField } from "../parts/number-field";
import { barText, clockOf } from "../session/clock";
import { ClipProcess } from "./clip-process";
import { useSessionParts } from "../session/provider";
import { stretchedClip } from "./stretched-clip";

/**
 * The selected clip in numbers: where it stands, how loud, how it begins and ends, and how its audio is turned,
 * stretched and tuned.
 */
export function ClipRow({
  session,
  chosen,
}: {
  readonly session: Session;
  readonly chosen: { readonly track: string; readonly clip: string } | null;
}) {
  const { edit, selectedClips } = useSessionParts((s) => ({ edit: s.edit, selectedClips: s.selectedClips }));
  const more = selectedClips.length - 1;
  const track = session.tracks.find((t) => t.id === chosen?.track);
  const clip = track?.clips.find((c) => c.id === chosen?.clip);
  if (!track || !clip) return null;
  const clock = clockOf(session);
  const { from, to } = clipSpan(clip, clock.tempo);
  const name = clip.name || "a clip";
  const set = (label: string, patch: PatchOf<"clips">) =>
    edit(`${label} of ${name}`, [{ do: "set", in: "clips", track: track.id, id: clip.id, patch }]);
  return (
    <div role="group" aria-label="Selected clip" className="flex min-w-0 items-center gap-2">
      <span className="max-w-44 shrink-0 truncate">
        <b className="text-ink">{more > 0 ? `${name} and ${more} more` : name}</b>{" "}
        <span className="figure">
          {barText(clock, from)} · {formatClock((to - from) / session.rate)}
        </span>
      </span>
      {track.frozen === null && <ClipNumbers clip={clip} session={session} set={set} />}
    </div>
  );
}

interface ControlsProps {
  readonly clip: Clip;
  readonly session: Session;
  readonly set: (label: string, patch: PatchOf<"clips">) => void;
}

/** A clip's numbers, to be set wherever it lies. */
export function ClipNumbers({ clip, session, set }: ControlsProps) {
  if (clip.kind === "notes") return <Toggle label="loop" on={clip.loop} onChange={(loop) => set("Loop", { loop })} />;
  const { tempo } = clockOf(session);
  // At the clip's beginning; at another place the tempo may be another.
  const beatS = 60 / tempo.bpmAt(tempo.toTicks(clip.start));
  const millis = (frames: number) => (frames * 1000) / session.rate;
  const frames = (ms: number) => Math.round((ms * session.rate) / 1000);
  return (
    <>
      <Field label="gain" unit="dB">
        <NumberField
          label="Gain of the clip, dB"
          unit="dB"
          neutral={0}
          value={clip.gainDb}
          min={-144}
          max={24}
          onCommit={(gainDb) => set("Gain", { gainDb })}
          className="w-12"
        />
      </Field>
      <Field label="fade in" unit="ms">
        <NumberField
          label="Fade in, milliseconds"
          unit="ms"
          neutral={0}
          beatS={beatS}
          value={millis(clip.fadeIn.frames)}
          digits={0}
          min={0}
          max={millis(clip.frames - clip.fadeOut.frames)}
          onCommit={(ms) => set("Fade in", { fadeIn: { ...clip.fadeIn, frames: frames(ms) } })}
          className="w-13"
        />
      </Field>
      <Field label="out" unit="ms">
        <NumberField
          label="Fade out, milliseconds"
          unit="ms"
          neutral={0}
          beatS={beatS}
          value={millis(clip.fadeOut.frames)}
          digits={0}
          min={0}
          max={millis(clip.frames - clip.fadeIn.frames)}
          onCommit={(ms) => set("Fade out", { fadeOut: { ...clip.fadeOut, frames: frames(ms) } })}
          className="w-13"
        />
      </Field>
      <Shape label="Shape of the fades" clip={clip} set={set} />
      {clip.kind === "audio" && <Reshaping clip={clip} session={session} set={set} />}
    </>
  );
}

/** The fades' one shape, as far as they are alike; choosing sets both. */
function Shape({
  label,
  clip,
  set,
}: {
  readonly label: string;
  readonly clip: PlacedClip;
  readonly set: ControlsProps["set"];
}) {
  return (
    <Choice
      label={label}
      value={clip.fadeIn.frames > 0 || clip.fadeOut.frames === 0 ? clip.fadeIn.shape : clip.fadeOut.shape}
      className="text-xs whitespace-nowrap"
      options={[
        { value: "linear", label: "straight" },
        { value: "equal power", label: "equal power", about: "for what is not alike on both sides" },
        { value: "S", label: "S", about: "gentle at both ends" },
        { value: "slow", label: "slow", about: "stays near silence for long" },
        { value: "quick", label: "quick", about: "is loud soon, and gentle at the top" },
      ]}
      onChange={(shape) =>
        set("Shape of the fades", { fadeIn: { ...clip.fadeIn, shape }, fadeOut: { ...clip.fadeOut, shape } })
      }
    />
  );
}

function Reshaping({
  clip,
  session,
  set,
}: {
  readonly clip: AudioClip;
  readonly session: Session;
  readonly set: ControlsProps["set"];
}) {
  const audio = session.assets.find((a) => a.id === clip.asset)?.frames ?? 0;
  return (
    <>
      <ClipProcess clip={clip} set={set} />
      <Toggle
        label="backwards"
        on={clip.reverse}
        onChange={() => set(clip.reverse ? "Play forwards" : "Play backwards", { ...reversed(clip, audio) })}
      />
      <Field label="stretch" unit="%">
        <NumberField
          label="Length over the recording's own, per cent"
          unit="%"
          neutral={100}
          value={clip.stretch * 100}
          min={25}
          max={400}
          onCommit={(percent) => set("Stretch", { ...stretchedClip(clip, percent / 100, audio) })}
          className="w-13"
        />
      </Field>
      <Field label="tune" unit="ct">
        <NumberField
          label="Transposed by, cents"
          unit="cents"
          neutral={0}
          value={clip.transposeCents}
          digits={0}
          min={-2400}
          max={2400}
          onCommit={(transposeCents) => set("Tuning", { transposeCents })}
          className="w-13"
        />
      </Field>
    </>
  );
}

const Field = ({
  label,
  unit,
  children,
}: {
  readonly label: string;
  readonly unit: string;
  readonly children: React.ReactNode;
}) => (
  <span className="flex items-center gap-1 whitespace-nowrap">
    {label} {children} {unit}
  </span>
);

const Toggle = ({
  label,
  on,
  onChange,
}: {
  readonly label: string;
  readonly on: boolean;
  readonly onChange: (on: boolean) => void;
}) => (
  <label className="flex min-h-6 items-center gap-1 whitespace-nowrap">
    <input
      type="checkbox"
      className="size-4 accent-[var(--spot)]"
      checked={on}
      onChange={(e) => onChange(e.target.checked)}
    />{" "}
    {label}
  </label>
);
