import { toast } from "sonner";
import { planPrint } from "../../core/printing/plan";
import type { Slip } from "../../core/printing/slip";
import { plainSlip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import { sayRefusals } from "../../core/words/refusals";

type PadPlace = NonNullable<Slip["pad"]>;

/** The pad of an open kit at a point of the page, or null. */
export function padAt({ clientX, clientY }: { readonly clientX: number; readonly clientY: number }): PadPlace | null {
  const found = document.elementFromPoint(clientX, clientY)?.closest<HTMLElement>("[data-pad]");
  if (!found) return null;
  const { pad, padTrack = "", padDevice = "" } = found.dataset;
  return { track: padTrack, device: padDevice, pad: Number(pad) };
}

/** Prints something onto a pad, since a pad plays audio: tracks, or what a slip says of them. Says so, or why not. */
export function printOntoPad(
  { session, print }: { readonly session: Session; readonly print: (slip: Slip) => Promise<unknown> },
  pad: PadPlace,
  name: string,
  what: Pick<Slip, "tracks"> & Partial<Slip>,
): void {
  const slip: Slip = {
    ...plainSlip(what.tracks),
    name: "{track}",
    ...what,
    placed: "pad",
    pad,
    afterwards: "keep live",
  };
  const plan = planPrint(session, slip);
  if (plan.ok) {
    void print(slip);
    toast(`${name} is printed onto pad ${pad.pad + 1}.`);
  } else toast.error(`${name} cannot be put on a pad: ${sayRefusals(plan.refusals.slice(0, 1))}.`);
}
