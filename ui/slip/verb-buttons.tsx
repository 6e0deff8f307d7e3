"use client";

import type { Action } from "../actions/action";
import { keyText } from "../actions/action";
import { screenActions } from "../actions/screen-actions";
import { sessionActions } from "../actions/session-actions";
import { useActionContext } from "../actions/use-action-context";
import { Button } from "../parts/button";
import { printActions } from "./print-actions";
import type { Verb } from "./verbs";

const actions: ReadonlyMap<string, Action> = new Map(
  [...screenActions, ...sessionActions, ...printActions].map((a) => [a.id, a]),
);

/** A verb with its key and one line of what it will do, or why it cannot. `compact`: its name alone. */
export function VerbButton({
  verb: { id, label, about },
  isFirst,
  compact,
  disabled = false,
}: {
  readonly verb: Verb;
  /** The one that is most likely wanted. */
  readonly isFirst: boolean;
  readonly compact: boolean;
  readonly disabled?: boolean;
}) {
  const context = useActionContext();
  const action = actions.get(id);
  if (!action) return null;
  const blocked = action.blocked(context);
  const under = blocked ?? about;
  const isOff = disabled || blocked !== null;
  return (
    <button
      type="button"
      data-control={id}
      disabled={isOff}
      title={compact || under.length > 36 ? under : undefined}
      onClick={() => action.run(context)}
      className={`rounded-sm border text-left disabled:opacity-60 ${isFirst && !isOff ? "border-spot bg-spot text-on-spot hover:brightness-110" : "border-ink/60 bg-paper hover:border-ink"} ${compact ? "min-h-7 shrink-0 px-2.5" : "min-h-11 min-w-0 max-w-105 flex-1 px-3 py-1"}`}
    >
      <span className="flex items-baseline justify-between gap-2 font-semibold">
        {label}
        {action.key !== null && !compact && <kbd className="figure text-[11px] font-normal">{keyText(action.key)}</kbd>}
      </span>
      {!compact && <span className="block truncate text-[11.5px]">{under}</span>}
    </button>
  );
}

/** The one primary button of a form. */
export function MainButton({
  id,
  label,
  under,
  disabled = false,
}: {
  readonly id: string;
  readonly label: string;
  readonly under: string;
  readonly disabled?: boolean;
}) {
  const context = useActionContext();
  const action = actions.get(id);
  if (!action) return null;
  return (
    <button
      type="button"
      onClick={() => action.run(context)}
      disabled={disabled}
      className="relative grid min-h-[74px] place-items-center rounded-sm bg-spot px-3 py-2 text-on-spot hover:brightness-110 disabled:opacity-45"
    >
      <span className="text-[22px] leading-tight font-bold tracking-tight">{label}</span>
      <span className="text-xs">{under}</span>
      {action.key !== null && <kbd className="figure absolute top-1.5 right-2 text-[11px]">{keyText(action.key)}</kbd>}
    </button>
  );
}

export function SmallButton({ id, label }: { readonly id: string; readonly label: string }) {
  const context = useActionContext();
  const action = actions.get(id);
  if (!action) return null;
  return (
    <Button onClick={() => action.run(context)} className="min-h-8">
      {label}
      {action.key !== null && <kbd className="figure ml-1 text-[11px] text-soft">{keyText(action.key)}</kbd>}
    </Button>
  );
}
