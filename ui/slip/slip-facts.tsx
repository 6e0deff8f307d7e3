"use client";

import { sayBaked, sayLive } from "../../core/words/baked";
import type { Mend, PrintPlan, PrintWarning } from "../../core/printing/print";
import { formatClock } from "../../core/time/clock";
import { sayWarning } from "../../core/words/warnings";
import { byteText } from "../parts/bytes";
import { Fact } from "../parts/fact";
import { Floating } from "../parts/floating";
import { usePlayback } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { Ridden } from "./ridden";
import { useSlip } from "./slip-store";

/** What a print bakes and leaves live, how long and large it gets, and what to mind about it. */
export function Facts({ plan }: { readonly plan: PrintPlan }) {
  const { session, edit, select } = useSessionParts((s) => ({ session: s.session, edit: s.edit, select: s.select }));
  const { want, ride } = useSlip();
  const { soloed } = usePlayback((p) => ({ soloed: p.soloed }));
  const clock = clockOf(session);
  const frames = plan.files.reduce((sum, f) => sum + f.to - f.from, 0);
  const width = plan.slip.depth === "16" ? 2 : plan.slip.depth === "24" ? 3 : 4;
  const end = Math.max(...plan.files.map((f) => f.to));
  const controls = plan.slip.moves.length;
  const warnings: readonly PrintWarning[] = [
    ...(controls > 0 ? [{ kind: "ridden", controls, mend: { slip: { moves: [] } } } as const] : []),
    ...plan.warnings,
    ...(soloed.size > 0 ? [{ kind: "soloed", mend: null } as const] : []),
  ];
  const [warning, ...more] = warnings;
  const mend = ({ slip, edits }: Mend, label: string) => {
    if (slip?.moves) ride(null);
    else if (slip) {
      const { tracks, ...wanted } = slip;
      if (tracks) select(tracks);
      want(wanted);
    }
    if (edits) edit(label, edits);
  };
  return (
    <dl className="mt-1.5 grid grid-cols-[76px_minmax(0,1fr)] gap-x-3 text-[12.5px] leading-[18px]">
      <Fact term="Baked in">{plan.baked.map(sayBaked).join(" · ")}</Fact>
      <Fact term="Stays live">{plan.live.map(sayLive).join(" · ")}</Fact>
      <Fact term="Length">
        {plan.files.length > 1 && (
          <>
            <span className="figure">{plan.files.length}</span> files,{" "}
          </>
        )}
        <span className="figure">{formatClock(frames / session.rate)}</span>
        {plan.tail === "none" ? "" : " and the measured tail"}, to bar{" "}
        <span className="figure">{barText(clock, end)}</span> · about{" "}
        <span className="figure">{byteText(frames * 2 * width)}</span>
      </Fact>
      {warning && (
        <Fact term="Warning">
          <Warning warning={warning} mend={mend} />
          {controls > 0 && <Ridden moves={plan.slip.moves} />}
          {more.length > 0 && (
            <Floating
              label="What else to mind"
              width={360}
              trigger={
                <button type="button" className="ml-2 text-soft underline underline-offset-2 hover:text-ink">
                  and {more.length} more
                </button>
              }
            >
              <ul className="grid gap-2 text-[13px]">
                {more.map((w) => (
                  <li key={sayWarning(w).what}>
                    <Warning warning={w} mend={mend} />
                  </li>
                ))}
              </ul>
            </Floating>
          )}
        </Fact>
      )}
    </dl>
  );
}

function Warning({
  warning,
  mend,
}: {
  readonly warning: PrintWarning;
  readonly mend: (mend: Mend, label: string) => void;
}) {
  const { what, fix } = sayWarning(warning);
  const { mend: how } = warning;
  return (
    <>
      <span className="text-caution" title={what}>
        {what}
      </span>
      {fix && how && (
        <button
          type="button"
          className="ml-2 font-semibold text-spot underline underline-offset-2"
          onClick={() => mend(how, fix)}
        >
          {fix}
        </button>
      )}
    </>
  );
}
