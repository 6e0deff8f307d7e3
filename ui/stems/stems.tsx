"use client";

import {
  DndContext,
  KeyboardSensor,
  PointerSensor,
  pointerWithin,
  rectIntersection,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import type { CollisionDetection, DragEndEvent } from "@dnd-kit/core";
import { SortableContext, sortableKeyboardCoordinates, verticalListSortingStrategy } from "@dnd-kit/sortable";
import type { Step } from "../../core/session/edits";
import { planExport } from "../../core/delivery/plan";
import { onRows, refill, withRows } from "../../core/delivery/sheet";
import { useMemo } from "react";
import { useSessionParts } from "../session/provider";
import { useHandoffs } from "../session/use-handoffs";
import { COLUMNS } from "./columns";
import { ExportFoot } from "./export-foot";
import { Preflight } from "./preflight";
import { combine, leaveOut, moveRow } from "./sheet-edits";
import { SheetOptions } from "./sheet-options";
import { SheetRow } from "./sheet-row";
import { stemStates } from "./stem-state";
import { Tray } from "./tray";

/** A pointer names what it is over; the keyboard has no pointer, so there the rectangles decide. */
const under: CollisionDetection = (args) => {
  const hits = pointerWithin(args);
  return hits.length > 0 ? hits : rectIntersection(args);
};

/** The stem sheet: what will be delivered, in which order and shape, and what should be looked at before. */
export function Stems() {
  const { written, takeStep } = useSessionParts((s) => ({ written: s.session, takeStep: s.take }));
  // What is looked at and dragged are written-out rows, also while the sheet fills itself.
  const session = useMemo(() => withRows(written), [written]);
  const take = (step: Step) => takeStep(onRows(written, step));
  const again = refill(written);
  const { chosen: last } = useHandoffs(null);
  const plan = useMemo(() => planExport(session), [session]);
  const states = useMemo(() => stemStates(session, plan.ok ? plan.value : null, last), [session, plan, last]);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const { rows } = session.sheet;

  const drop = ({ active, over }: DragEndEvent) => {
    const dragged = active.data.current as { row?: string; track?: string; from?: string } | undefined;
    const target = over?.data.current as { row?: string; tray?: boolean } | undefined;
    if (!dragged || !target) return;
    if (dragged.track !== undefined) {
      const step =
        target.row !== undefined
          ? combine(session, dragged.track, target.row)
          : target.tray && dragged.from !== undefined
            ? leaveOut(session, dragged.from, dragged.track)
            : null;
      if (step) take(step);
      return;
    }
    if (dragged.row === undefined) return;
    const step = target.tray
      ? leaveOut(session, dragged.row, null)
      : target.row !== undefined
        ? moveRow(
            session,
            dragged.row,
            rows.findIndex((r) => r.id === target.row),
          )
        : null;
    if (step) take(step);
  };

  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_264px] grid-rows-[auto_minmax(0,1fr)_auto]">
      <header className="col-span-2 flex items-end gap-8 border-b border-ink px-5 pt-4 pb-3">
        <div>
          <h1 className="text-[26px] leading-none font-bold tracking-tight">Stem sheet</h1>
          <p className="mt-1.5 text-soft">
            {again === null
              ? "It fills itself: a stem for every track that sounds, until you change it."
              : "All files come out of one pass, from one first frame."}
            {again && (
              <button
                type="button"
                title="One stem for every track that sounds, in their order, following tracks that come and go"
                onClick={() => takeStep(again)}
                className="ml-2 font-semibold text-spot underline underline-offset-2"
              >
                Fill it again
              </button>
            )}
          </p>
        </div>
        <SheetOptions />
      </header>
      <DndContext sensors={sensors} collisionDetection={under} onDragEnd={drop}>
        <div className="min-h-0 overflow-auto pb-6" data-sheet>
          <div className={`${COLUMNS} eyebrow sticky top-0 z-10 border-b border-rule bg-paper py-1.5`}>
            <span />
            <span>№</span>
            <span>Stem</span>
            <span>Made of</span>
            <span className="pl-2">Tapped</span>
            <span title="What the sends of its tracks produce is in this stem">Returns</span>
            <span>File</span>
            <span className="text-right">Peak · LUFS</span>
            <span className="pl-3">State</span>
            <span />
          </div>
          <SortableContext items={rows.map((r) => r.id)} strategy={verticalListSortingStrategy}>
            <ol aria-label="Stems">
              {rows.map((row, i) => (
                <SheetRow
                  key={row.id}
                  row={row}
                  index={i}
                  fileName={plan.ok ? (plan.value.files[i]?.fileName ?? "") : ""}
                  state={states[i] ?? { word: "never rendered", measures: null }}
                />
              ))}
            </ol>
          </SortableContext>
          {rows.length === 0 && (
            <p className="px-5 py-6 text-soft">
              Nothing sounds in this session yet. Bring in audio or MIDI on the Bench, and every track that sounds
              becomes a stem here.
            </p>
          )}
          {plan.ok && (
            <div className={`${COLUMNS} min-h-9 border-b border-rule text-soft`}>
              <span />
              <span className="figure text-xs">+</span>
              <span className="font-medium text-ink">Reference mix</span>
              <span>everything</span>
              <span className="pl-2">after its chain</span>
              <span className="text-center">in</span>
              <span className="figure truncate text-xs" title={plan.value.files.at(-1)?.fileName}>
                {plan.value.files.at(-1)?.fileName}
              </span>
              <span className="figure text-right text-xs">{states.at(-1)?.measures}</span>
              <span className="pl-3 text-xs">{states.at(-1)?.word}</span>
              <span />
            </div>
          )}
          <Tray />
        </div>
      </DndContext>
      <Preflight />
      <ExportFoot plan={plan} last={last} />
    </main>
  );
}
