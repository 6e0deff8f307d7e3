"use client";

import type { AudioClip, Track } from "../../core/session/document";
import { formatNumber } from "../../core/words/numbers";
import { Button } from "../parts/button";
import { NumberField } from "../parts/number-field";
import { usePlaybackStore } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { BendPicture } from "./bend-picture";
import { Columns } from "./drawer-columns";
import type { Bend } from "./use-bend";
import { useBend } from "./use-bend";

interface Props {
  readonly track: Track;
  readonly clip: AudioClip;
  /** Of the lanes, in CSS pixels. */
  readonly width: number;
}

/** A clip's time and pitch: markers that hold what sounds at them, and a line of cents, both over its wave. */
export function BendEditor({ track, clip, width }: Props) {
  const bend = useBend(track, clip);
  return (
    <Columns
      lanes={width}
      left={<BendTools clip={clip} of={bend} />}
      middle={<BendPicture track={track} clip={clip} width={width} of={bend} />}
      right={<ChosenHandle clip={clip} of={bend} />}
    />
  );
}

const Small = (props: React.ComponentProps<typeof Button>) => (
  <Button kind="plain" {...props} className="!min-h-6 !px-1.5 !text-[11.5px]" />
);

const counted = (n: number, one: string) => `${n} ${n === 1 ? one : `${one}s`}`;

interface PartProps {
  readonly clip: AudioClip;
  readonly of: Bend;
}

function BendTools({ clip, of }: PartProps) {
  const playback = usePlaybackStore();
  const hasMarks = clip.timeMarks.length > 0;
  return (
    <div className="grid gap-1.5 px-2 text-xs">
      <b className="truncate text-[13px]">{clip.name || "the clip"}</b>
      <span className="figure text-[11px] text-soft">
        {counted(clip.timeMarks.length, "marker")} · {counted(clip.pitchLine.length, "point")}
      </span>
      <div role="group" aria-label="Time markers" className="flex flex-wrap gap-1">
        <Small title="Set a time marker at the playhead" onClick={() => of.hold(playback.getState().position())}>
          Hold at playhead
        </Small>
        <Small title="Set a time marker wherever something begins" onClick={() => void of.holdOnsets()}>
          Hold beginnings
        </Small>
        <Small
          title="Move every time marker to the nearest line of the grid"
          disabled={!hasMarks || of.grid === "none"}
          onClick={of.toGrid}
        >
          To the grid
        </Small>
        <Small
          title="Remove all time markers"
          disabled={!hasMarks}
          onClick={() => of.setMarks("Remove all time markers", [])}
        >
          Let go
        </Small>
      </div>
      <div role="group" aria-label="Pitch" className="flex flex-wrap gap-1">
        <Small title="Remove the line of pitch" disabled={clip.pitchLine.length === 0} onClick={of.levelPitch}>
          Level pitch
        </Small>
      </div>
    </div>
  );
}

type Mark = AudioClip["timeMarks"][number];

function ChosenHandle({ clip, of }: PartProps) {
  const { chosen } = of;
  const mark = chosen?.what === "mark" ? clip.timeMarks.find((m) => m.at === chosen.at) : undefined;
  if (mark) return <ChosenMark clip={clip} of={of} mark={mark} />;
  const point = chosen?.what === "pitch" ? clip.pitchLine.find((p) => p.at === chosen.at) : undefined;
  if (!point)
    return (
      <p className="text-soft">
        Press in the strip above the wave to hold what sounds there, then drag the marker: the audio between markers is
        stretched. Press on the wave to set a point of pitch. Both are part of the clip and of every print of it.
      </p>
    );
  return (
    <div role="group" aria-label="Chosen point of pitch" className="grid gap-2">
      <p>
        <b>Pitch</b>
      </p>
      <span>
        <NumberField
          label="Cents at the point"
          unit="cents"
          neutral={0}
          value={point.cents}
          digits={0}
          min={-2400}
          max={2400}
          onCommit={(cents) => of.setPitch("Move a point of pitch", point.at, cents, point.at)}
          className="w-20"
        />{" "}
        cents
      </span>
      <Button onClick={() => of.remove({ what: "pitch", at: point.at })}>Remove it</Button>
    </div>
  );
}

function ChosenMark({ clip, of, mark }: PartProps & { readonly mark: Mark }) {
  const { session } = of;
  const index = clip.timeMarks.indexOf(mark);
  const unmoved = mark.at * clip.stretch;
  const before = clip.timeMarks[index - 1] ?? { at: 0, to: 0 };
  return (
    <div role="group" aria-label="Chosen time marker" className="grid gap-2">
      <p className="flex items-baseline gap-2">
        <b>Time marker</b>
        <span className="figure text-soft">bar {barText(clockOf(session), clip.start - clip.offset + mark.to)}</span>
      </p>
      <div className="grid grid-cols-[88px_1fr] items-center gap-x-3 gap-y-1.5">
        <span className="text-soft">moved by</span>
        <span>
          <NumberField
            label="Moved by, milliseconds"
            unit="ms"
            neutral={0}
            value={((mark.to - unmoved) * 1000) / session.rate}
            digits={1}
            min={-600000}
            max={600000}
            onCommit={(ms) => of.moveMark(mark.at, Math.round(unmoved + (ms * session.rate) / 1000))}
            className="w-20"
          />{" "}
          ms
        </span>
        <span className="text-soft">before it</span>
        <span className="figure">{stretchText(mark, before, clip)} of its length</span>
        <span className="text-soft">behind it</span>
        <span className="figure">{stretchText(mark, clip.timeMarks[index + 1], clip)} of its length</span>
      </div>
      <Button onClick={() => of.remove({ what: "mark", at: mark.at })}>Remove it</Button>
    </div>
  );
}

/** How long the audio between two markers is, of its own length; without a second marker as the clip is stretched. */
function stretchText(mark: Mark, other: Mark | undefined, { stretch }: AudioClip): string {
  const of = other ? Math.abs(mark.to - other.to) / Math.max(1, Math.abs(mark.at - other.at)) : stretch;
  return `${formatNumber(of * 100, 1)} %`;
}
