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
import { Aside } from "./aside";
import { MIXES, MixRow } from "./mix-row";
import { ReceiverPick } from "./receiver-pick";
import { combine, leaveOut, moveRow } from "./sheet-edits";
import { SheetOptions } from "./sheet-options";
import { SheetRow } from "./sheet-row";
import { stemStates } from "./stem-state";
import { TRAY, Tray } from "./tray";
import { sayPlanned } from "../../core/words/refusals";

/**
 * A pointer names what it is over; the keyboard has no pointer, so there the rectangles decide. Rows that are scrolled
 * out of sight may lie behind the tray.
 */
const under: CollisionDetection = (args) => {
  const hits = pointerWithin(args);
  const tray = hits.filter((hit) => hit.id === TRAY);
  if (tray.length > 0) return tray;
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
  const plan = useMemo(() => sayPlanned(planExport(session, new Date()), "sheet"), [session]);
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

  const NEVER = { word: "never rendered", measures: null } as const;
  const stateOfRow = (number: number) =>
    (plan.ok ? states[plan.value.files.findIndex((f) => f.number === number)] : undefined) ?? NEVER;

  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_264px] grid-rows-[auto_minmax(0,1fr)_auto]">
      <header className="col-span-2 flex items-end justify-between gap-6 border-b border-ink px-5 pt-3 pb-3">
        <div className="min-w-0">
          <h1 className="text-[26px] leading-none font-bold tracking-tight">Stem sheet</h1>
          <ReceiverPick />
        </div>
        <SheetOptions />
      </header>
      <DndContext sensors={sensors} collisionDetection={under} onDragEnd={drop}>
        <div className="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
          <div className="min-h-0 overflow-auto pb-4" data-sheet>
            <div className={`${COLUMNS} eyebrow sticky top-0 z-10 border-b border-rule bg-paper py-1.5`}>
              <span />
              <span />
              <span>№</span>
              <span>Stem</span>
              <span>Made of</span>
              <span className="pl-2">Tapped</span>
              <span title="What the sends of its tracks produce is in this stem">Returns</span>
              <span className="pl-1">Channels</span>
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
                    fileNames={plan.ok ? plan.value.files.filter((f) => f.number === i + 1).map((f) => f.fileName) : []}
                    state={stateOfRow(i + 1)}
                  />
                ))}
              </ol>
            </SortableContext>
            {rows.length === 0 && (
              <p className="px-5 py-6 text-soft">
                Nothing sounds in this session yet. Import audio or MIDI on the Bench, and every track that sounds
                becomes a stem here.
              </p>
            )}
            {MIXES.map((mix) => (
              <MixRow key={mix.which} mix={mix} plan={plan} states={states} />
            ))}
            {again === null && rows.length > 0 && (
              <p className="mt-3 px-5 text-soft">
                It fills itself: a stem for every track that sounds, until you change it.
              </p>
            )}
            {again && (
              <button
                type="button"
                title="One stem for every track that sounds, in their order, following tracks that come and go"
                onClick={() => takeStep(again)}
                className="mt-3 ml-5 min-h-6 font-semibold text-spot underline underline-offset-2"
              >
                Let the sheet fill itself again
              </button>
            )}
          </div>
          <Tray />
        </div>
      </DndContext>
      <Aside last={last} />
      <ExportFoot plan={plan} last={last} />
    </main>
  );
}
