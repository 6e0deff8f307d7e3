"use client";

import type { Finding } from "../../core/delivery/finding";
import { sayFinding } from "../../core/words/preflight";
import { useSessionParts } from "../session/provider";

const WORDS: Record<Finding["weight"], string> = {
  stop: "Stops the export",
  look: "Look at this",
  know: "Good to know",
};
const EDGES: Record<Finding["weight"], string> = {
  stop: "border-l-wrong border-l-[6px]",
  look: "border-l-caution-rule border-l-4",
  know: "border-l-rule border-l-2",
};

/**
 * What should be known before anything leaves the house; each finding with what it means for the receiver, and a fix.
 */
export function Preflight({ findings }: { readonly findings: readonly Finding[] }) {
  const take = useSessionParts((s) => s.take);
  return (
    <section aria-label="Preflight">
      {findings.length === 0 && (
        <p className="mt-1 text-soft">
          Nothing to look at: every sounding track is in a stem, everything has a name, nothing is muted by accident,
          and the stems will add up to the mix.
        </p>
      )}
      <ul className="space-y-2.5">
        {findings.map((finding) => {
          const { id, weight, fix: step } = finding;
          const { what, means, fix } = sayFinding(finding);
          return (
            <li key={id} className={`border bg-lift px-3 py-2 ${EDGES[weight]} border-y-rule border-r-rule`}>
              <p className="eyebrow">{WORDS[weight]}</p>
              <p className="font-medium">{what}</p>
              <p className="text-soft">{means}</p>
              {step && (
                <button
                  type="button"
                  onClick={() => take(step)}
                  className="mt-1 min-h-6 font-semibold text-spot underline underline-offset-4"
                >
                  {fix}
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
