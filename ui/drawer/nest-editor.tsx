"use client";

import { ChevronLeft, Copy, Trash2 } from "lucide-react";
import type { NestClip, Track } from "../../core/session/document";
import { shownName } from "../../core/session/names";
import { ClipNumbers } from "../clips/clip-row";
import { Button } from "../parts/button";
import { barText, clockOf } from "../session/clock";
import { Columns } from "./drawer-columns";
import { NestPicture } from "./nest-picture";
import type { NestTool, Tool } from "./nest-tools";
import { NestTools } from "./nest-tools";
import { useNest, useNestTools } from "./use-nest";

interface Props {
  readonly track: Track;
  readonly top: NestClip;
  /** Of the lanes, in CSS pixels. */
  readonly width: number;
}

/**
 * What is in a nest, on the timeline where it sounds: moved, trimmed, faded and levelled as on the lanes; what its
 * window hides is covered.
 */
export function NestEditor({ track, top, width }: Props) {
  const nest = useNest(track, top);
  const tools = useNestTools(track, nest);
  return (
    <Columns
      lanes={width}
      left={<NestList of={nest} />}
      middle={
        <NestPicture
          session={nest.session}
          track={track}
          nest={nest.nest}
          shift={nest.shift}
          width={width}
          chosen={nest.chosen}
          onChoose={nest.choose}
          onChange={nest.change}
          onRemove={nest.remove}
          onOpen={nest.open}
          onTool={(tool) => tools[tool].can && tools[tool].run()}
        />
      }
      right={<ChosenClip of={nest} tools={tools} />}
    />
  );
}

interface PartProps {
  readonly of: ReturnType<typeof useNest>;
}

function NestList({ of: { session, nest, shift, chosen, choose, open, isInside, out } }: PartProps) {
  const clock = clockOf(session);
  const name = nest.name || "the nest";
  return (
    <div className="px-2 text-xs">
      <div className="flex items-center gap-1">
        {isInside && (
          <button
            type="button"
            aria-label="Back to the nest around it"
            title="Back to the nest around it"
            onClick={out}
            className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade"
          >
            <ChevronLeft size={14} aria-hidden />
          </button>
        )}
        <b className="min-w-0 flex-1 truncate text-[13px]">{name}</b>
      </div>
      <ul aria-label={`Clips in ${name}`}>
        {nest.children.map((c) => (
          <li key={c.id}>
            <button
              type="button"
              aria-pressed={c.id === chosen}
              onClick={() => choose(c.id)}
              onDoubleClick={() => open(c)}
              className={`flex min-h-6 w-full items-center gap-2 rounded-sm px-1 text-left ${c.id === chosen ? "bg-spot-wash font-semibold" : "hover:bg-shade"}`}
            >
              <span className="min-w-0 flex-1 truncate">
                {shownName(c)}
                {c.kind === "nest" && " (nest)"}
              </span>
              <span className="figure text-[11px] text-soft">{barText(clock, Math.max(0, c.start + shift))}</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

interface ChosenProps extends PartProps {
  readonly tools: Readonly<Record<NestTool, Tool>>;
}

function ChosenClip({ of: { session, child, copied, open, duplicate, remove, change }, tools }: ChosenProps) {
  if (!child)
    return (
      <div className="grid gap-2">
        <p className="text-soft">
          Drag a clip to move it, its edges to trim it, its corners to fade it. The nest itself stays where it is and as
          long as it is.
        </p>
        {copied && <NestTools tools={tools} />}
      </div>
    );
  const name = child.name || "the clip";
  return (
    <div className="grid gap-2">
      <div className="flex items-center gap-2">
        <b className="min-w-0 flex-1 truncate">{shownName(child)}</b>
        {child.kind === "nest" && <Button onClick={() => open(child)}>Open it</Button>}
        <Button
          kind="quiet"
          aria-label={`Duplicate ${name} in the nest`}
          title="Duplicate it behind itself"
          onClick={() => duplicate(child)}
        >
          <Copy size={13} aria-hidden />
        </Button>
        <Button
          kind="quiet"
          aria-label={`Remove ${name} from the nest`}
          title="Remove"
          onClick={() => remove(child.id)}
        >
          <Trash2 size={13} aria-hidden />
        </Button>
      </div>
      <NestTools tools={tools} />
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <ClipNumbers
          clip={child}
          session={session}
          set={(label, patch) => change(`${label} of ${child.name || "a clip"}`, child.id, patch)}
        />
      </div>
    </div>
  );
}
