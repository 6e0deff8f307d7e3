"use client";

import { useDraggable } from "@dnd-kit/core";
import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { EllipsisVertical, GripVertical } from "lucide-react";
import type { PatchOf } from "../../core/session/records";
import type { StemRow } from "../../core/session/document";
import { onRows, withRows } from "../../core/delivery/sheet";
import { Choice } from "../parts/choice";
import { Editable } from "../parts/editable";
import type { ItemEntry } from "../parts/item-menu";
import { itemMenu, openItemMenu } from "../parts/item-menu";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { combineRows, leaveOut, moveRow, takeApart } from "./sheet-edits";
import type { StemState } from "./stem-state";
import { COLUMNS } from "./columns";

const TAPS = [
  { value: "clip", label: "clips alone", about: "What was recorded or placed, before any device; no fader, no pan." },
  { value: "devices", label: "after devices", about: "With its own devices, before fader, pan and groups." },
  {
    value: "group",
    label: "up to the mix",
    about: "With the groups on its way: the stems add up to the mix before its chain.",
  },
  {
    value: "channel",
    label: "after fader and mute",
    about: "After its own fader, pan and mute, before its groups.",
  },
  {
    value: "mix",
    label: "through the mix",
    about: "With the groups and the mix's chain: as it is heard. For a receiver who adds no chain to the sum.",
  },
] as const;

const CHANNELS = [
  { value: "as it is", label: "as it is", about: "One channel where both are the same to the last bit, else two." },
  { value: "mono", label: "mono", about: "One channel: half of left and right together. Width is lost." },
  { value: "stereo", label: "stereo", about: "Two channels always, also where both are the same." },
  { value: "two mono", label: "two mono", about: "Two files, L and R: for programs that take no stereo files." },
] as const;

interface Props {
  readonly row: StemRow;
  readonly index: number;
  /** None while it is not exported. */
  readonly fileNames: readonly string[];
  readonly state: StemState;
}

/** One stem: drag it to order, drop a track on it to combine. */
export function SheetRow({ row, index, fileNames, state }: Props) {
  const { session, take } = useSessionParts((s) => ({ session: s.session, take: s.take }));
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging, over, active } =
    useSortable({ id: row.id, data: { row: row.id } });
  const label = `Stem ${row.name}`;
  const entries = useRowEntries(row, index);
  const taking = over?.id === row.id && (active?.data.current as { track?: string } | undefined)?.track !== undefined;
  const set = (label: string, patch: PatchOf<"rows">) =>
    take(onRows(session, { label, edits: [{ do: "set", in: "rows", id: row.id, patch }] }));
  return (
    <li
      {...itemMenu(label, entries)}
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={`${COLUMNS} min-h-[40px] border-b border-rule bg-paper ${row.ticked ? "" : "text-soft"} ${isDragging ? "relative z-20 border border-ink bg-lift shadow-[3px_3px_0_var(--rule)]" : ""} ${taking ? "bg-spot-wash" : ""}`}
    >
      <button
        type="button"
        ref={setActivatorNodeRef}
        {...attributes}
        {...listeners}
        aria-label={`Move ${row.name}`}
        title="Drag to order, or to the foot to leave it out"
        className="grid size-6 cursor-grab touch-none place-items-center text-faint hover:text-ink"
      >
        <GripVertical size={14} aria-hidden />
      </button>
      <input
        type="checkbox"
        checked={row.ticked}
        onChange={(e) =>
          set(`${e.target.checked ? "Export" : "Do not export"} ${row.name}`, { ticked: e.target.checked })
        }
        aria-label={`Export ${row.name}`}
        title="Only what is ticked is exported"
        className="size-4 accent-[var(--spot)]"
      />
      <span className="figure text-xs text-soft">{String(index + 1).padStart(2, "0")}</span>
      <Editable
        value={row.name}
        label={`Stem ${index + 1}`}
        onCommit={(name) => name && set(`Rename ${row.name}`, { name })}
        className={`min-h-6 text-sm ${row.ticked ? "font-semibold" : "line-through"}`}
      />
      <span className="flex flex-wrap gap-1 py-1">
        {row.sources.map((id) => (
          <SourceChip
            key={id}
            track={id}
            from={row.id}
            name={trackName(session.tracks.find((t) => t.id === id) ?? ({ name: id } as never))}
          />
        ))}
      </span>
      <Choice
        label={`Where ${row.name} is tapped`}
        value={row.tap}
        options={TAPS}
        onChange={(tap) => set(`Tap of ${row.name}`, { tap })}
        className="w-full border-transparent bg-transparent whitespace-nowrap"
      />
      <input
        type="checkbox"
        checked={row.returns}
        onChange={(e) => set(`Returns of ${row.name}`, { returns: e.target.checked })}
        aria-label={`What the sends of ${row.name} produce is in it`}
        className="size-4 justify-self-center accent-[var(--spot)]"
      />
      <Choice
        label={`Channels of ${row.name}`}
        value={row.channels}
        options={CHANNELS}
        onChange={(channels) => set(`Channels of ${row.name}`, { channels })}
        className="w-full border-transparent bg-transparent px-1 whitespace-nowrap"
      />
      <span className="figure truncate text-xs" title={fileNames.join(", ")}>
        {fileNames.length > 1 ? `${fileNames[0] ?? ""} +${fileNames.length - 1}` : (fileNames[0] ?? "")}
      </span>
      <span
        title={state.middle}
        className={`figure text-right text-xs whitespace-nowrap ${state.word === "stale" ? "text-faint" : ""}`}
      >
        {state.measures ?? "–"}
      </span>
      <StateWord word={state.word} />
      <button
        type="button"
        aria-label={`More for ${row.name}`}
        aria-haspopup="menu"
        onClick={(e) => openItemMenu(label, entries(), e)}
        className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
      >
        <EllipsisVertical size={14} aria-hidden />
      </button>
    </li>
  );
}

const MARKS: Record<StemState["word"], string> = {
  fresh: "bg-ink border-ink",
  stale: "border-caution bg-[repeating-linear-gradient(135deg,var(--caution)_0_1.5px,transparent_1.5px_4px)]",
  "never rendered": "border-ink border-dashed",
  silent: "border-wrong",
};

/** The word, and its texture as a swatch: solid, hatched, outline. */
function StateWord({ word }: { readonly word: StemState["word"] }) {
  return (
    <span
      className={`flex items-center gap-1.5 pl-3 text-xs whitespace-nowrap ${word === "stale" ? "text-caution" : word === "silent" ? "text-wrong" : "text-soft"}`}
    >
      <span aria-hidden className={`size-2.5 shrink-0 border ${MARKS[word]}`} />
      {word}
    </span>
  );
}

/** A track inside a stem, or waiting to be; it can be carried to another stem or out. */
export function SourceChip({
  track,
  from,
  name,
}: {
  readonly track: string;
  readonly from?: string;
  readonly name: string;
}) {
  const { attributes, listeners, setNodeRef, transform, isDragging } = useDraggable({
    id: `${from ?? "tray"}:${track}`,
    data: { track, from },
  });
  return (
    <button
      type="button"
      ref={setNodeRef}
      {...attributes}
      {...listeners}
      aria-label={`${name}: carry to another stem`}
      style={{ transform: CSS.Translate.toString(transform) }}
      className={`min-h-6 cursor-grab touch-none rounded-full border border-ink/70 bg-lift px-2.5 text-xs whitespace-nowrap ${isDragging ? "relative z-30 shadow-[2px_2px_0_var(--rule)]" : "hover:border-ink"}`}
    >
      {name}
    </button>
  );
}

/** What else can be done with a stem. */
function useRowEntries(row: StemRow, index: number): () => readonly ItemEntry[] {
  const { written, take } = useSessionParts((s) => ({ written: s.session, take: s.take }));
  return () => {
    const session = withRows(written);
    const does = (step: ReturnType<typeof moveRow>) => () => {
      if (step) take(onRows(written, step));
    };
    const set = (label: string, patch: PatchOf<"rows">) => () =>
      void take(onRows(written, { label, edits: [{ do: "set", in: "rows", id: row.id, patch }] }));
    const others = session.sheet.rows.filter((r) => r.id !== row.id);
    return [
      {
        label: row.ticked ? "Leave out of this export" : "Export this stem",
        run: set(`${row.ticked ? "Do not export" : "Export"} ${row.name}`, { ticked: !row.ticked }),
      },
      {
        label: "Move up",
        run: does(moveRow(session, row.id, index - 1)),
        blocked: index === 0 ? "It is the first" : null,
      },
      {
        label: "Move down",
        run: does(moveRow(session, row.id, index + 1)),
        blocked: index === session.sheet.rows.length - 1 ? "It is the last" : null,
      },
      {
        label: "Combine into",
        of: others.map((o) => ({ label: o.name, run: does(combineRows(session, row.id, o.id)) })),
      },
      {
        label: "Split into its tracks",
        run: does(takeApart(session, row.id, () => crypto.randomUUID())),
        blocked: row.sources.length > 1 ? null : "It has one track",
      },
      {
        label: row.linked ? "Let its dynamics hear it alone" : "Let its dynamics follow the mix",
        run: set(`Dynamics of ${row.name}`, { linked: !row.linked }),
      },
      { label: "Remove stem", run: does(leaveOut(session, row.id, null)) },
    ];
  };
}
