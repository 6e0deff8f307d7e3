"use client";

import { Copy, Pencil, Trash2 } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import type { SessionSummary } from "../../contract/session";
import { DEMO_ID } from "../../contract/demo-id";
import type { Sketch } from "../../core/session/sketch";
import { whenText } from "../parts/dates";
import { itemMenu } from "../parts/item-menu";
import { Editable } from "../parts/editable";
import { SketchPicture, sayLength } from "./sketch";

interface Props {
  readonly of: SessionSummary;
  readonly sketch: Sketch | undefined;
  /** Whether the page runs in a browser: dates are written for where that stands. */
  readonly awake: boolean;
  readonly renaming: boolean;
  readonly onRename: (name: string) => void;
  readonly onRenaming: (on: boolean) => void;
  readonly onDuplicate: () => void;
  readonly onDelete: () => void;
}

/** One session of the list: what it looks like, what it is called, and what is done to it. */
export function SessionRow({ of, sketch, awake, renaming, onRename, onRenaming, onDuplicate, onDelete }: Props) {
  const router = useRouter();
  return (
    <li
      {...itemMenu(of.name, () => [
        { label: "Open session", run: () => router.push(`/s/${of.id}`) },
        { label: "Rename session", run: () => onRenaming(true) },
        { label: "Duplicate session", run: onDuplicate },
        { label: "Delete session", run: onDelete },
      ])}
      className="flex items-center gap-1 border-b border-rule hover:bg-shade"
    >
      {renaming ? (
        <div className="flex-1 px-1 py-2.5 text-base">
          <Editable
            open
            value={of.name}
            label={`Name of ${of.name}`}
            onCommit={onRename}
            onLeave={() => onRenaming(false)}
          />
        </div>
      ) : (
        <Link href={`/s/${of.id}`} className="flex min-w-0 flex-1 items-center gap-4 px-1 py-2">
          <SketchPicture sketch={sketch} />
          <span className="min-w-0 flex-1">
            <span className="flex items-baseline gap-2">
              <span className="truncate text-base font-medium">{of.name}</span>
              {of.id === DEMO_ID && <span className="shrink-0 text-xs text-soft">a demo to try things on</span>}
            </span>
            <span className="figure block truncate text-xs text-soft">
              {sketch && `${sayLength(sketch)} · `}
              {of.tracks} {of.tracks === 1 ? "track" : "tracks"}
            </span>
          </span>
          <time dateTime={of.changedAt} title="Changed last" className="figure w-32 text-right text-xs text-soft">
            {awake ? whenText(of.changedAt) : ""}
          </time>
        </Link>
      )}
      <Tool label={`Rename ${of.name}`} onClick={() => onRenaming(true)}>
        <Pencil size={15} aria-hidden />
      </Tool>
      <Tool label={`Duplicate ${of.name}`} onClick={onDuplicate}>
        <Copy size={15} aria-hidden />
      </Tool>
      <Tool label={`Delete ${of.name}`} onClick={onDelete}>
        <Trash2 size={15} aria-hidden />
      </Tool>
    </li>
  );
}

const Tool = ({
  label,
  onClick,
  children,
}: {
  readonly label: string;
  readonly onClick: () => void;
  readonly children: React.ReactNode;
}) => (
  <button
    type="button"
    aria-label={label}
    title={label}
    onClick={onClick}
    className="grid size-8 place-items-center rounded-sm text-soft hover:bg-rule hover:text-ink"
  >
    {children}
  </button>
);
