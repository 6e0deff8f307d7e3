"use client";

import type { Checked } from "../../core/session/problem";
import type { ExportPlan } from "../../core/delivery/plan";
import { useSessionParts } from "../session/provider";
import { COLUMNS } from "./columns";
import type { StemState } from "./stem-state";

export const MIXES = [
  {
    which: "after its chain",
    role: "reference mix",
    name: "Reference mix",
    taken: "after its chain",
    about: "The mix as you hear it, to compare with",
  },
  {
    which: "before its chain",
    role: "mix before its chain",
    name: "Mix before its chain",
    taken: "before it",
    about: "What stems taken up to the mix add up to",
  },
] as const;

/** The whole mix at one point, beside the stems where it is ticked. */
export function MixRow({
  mix: { which, role, name, taken, about },
  plan,
  states,
}: {
  readonly mix: (typeof MIXES)[number];
  readonly plan: Checked<ExportPlan>;
  readonly states: readonly StemState[];
}) {
  const { sheet, edit } = useSessionParts((s) => ({ sheet: s.session.sheet, edit: s.edit }));
  const ticked = sheet.mixes.includes(which);
  const at = plan.ok ? plan.value.files.findIndex((f) => f.role === role) : -1;
  const fileName = plan.ok ? plan.value.files[at]?.fileName : undefined;
  const state = states[at];
  const choose = (wanted: boolean) =>
    edit(wanted ? `Export the ${name.toLowerCase()}` : `Do not export the ${name.toLowerCase()}`, [
      {
        do: "set sheet",
        patch: { mixes: MIXES.map((m) => m.which).filter((m) => (m === which ? wanted : sheet.mixes.includes(m))) },
      },
    ]);
  return (
    <div className={`${COLUMNS} min-h-9 border-b border-rule text-soft`}>
      <span />
      <input
        type="checkbox"
        checked={ticked}
        onChange={(e) => choose(e.target.checked)}
        aria-label={`Export the ${name.toLowerCase()}`}
        title={about}
        className="size-4 accent-[var(--spot)]"
      />
      <span className="figure text-xs">+</span>
      <span className={`truncate ${ticked ? "font-medium text-ink" : ""}`} title={about}>
        {name}
      </span>
      <span>everything</span>
      <span className="pl-2">{taken}</span>
      <span className="text-center text-xs">in</span>
      <span className="pl-1">as it is</span>
      <span className="figure truncate text-xs" title={fileName}>
        {fileName}
      </span>
      <span className="figure text-right text-xs whitespace-nowrap">{state?.measures}</span>
      <span className="pl-3 text-xs">{state?.word}</span>
      <span />
    </div>
  );
}
