import { declarationOf } from "../devices/catalogue";
import type { Automation, Device, Session, Track } from "../session/document";
import { groupsAbove, mixOf } from "../session/routing";
import type { Baked, Live } from "./baked-kinds";
import { subjectOf } from "./members/family";
import type { Slip } from "./slip";
import { leavesOut, parted } from "./slip";

const nameOf = ({ type }: Device) => declarationOf(type)?.name ?? type;

/** What is in a print for good. */
export function bakedIn(session: Session, tracks: readonly Track[], slip: Slip): readonly Baked[] {
  const { baked } = subjectOf(slip);
  if (baked) return baked;
  const list: Baked[] = [];
  const devices = (t: Track) =>
    parted(t, slip)
      .baked.filter((d) => d.on)
      .map(nameOf);
  const mix = mixOf(session);
  const ofMix = tracks.some((t) => t.kind === "mix");
  const throughMix = slip.tap === "mix" && !ofMix;
  if (ofMix) list.push({ kind: slip.before === null ? "whole mix" : "into the mix" });
  if (tracks.some((t) => t.kind === "audio")) list.push({ kind: "clips" });
  for (const name of new Set(tracks.flatMap(devices))) list.push({ kind: "device", name });
  if (slip.tap === "channel" || slip.tap === "group" || throughMix) list.push({ kind: "channel" });
  const groups = slip.tap === "group" || throughMix ? tracks.flatMap((t) => groupsAbove(session, t)) : [];
  for (const name of new Set(groups.map((g) => g.name || "group"))) list.push({ kind: "group", name });
  if (slip.returns) list.push({ kind: "returns" });
  if (throughMix) list.push({ kind: "mix chain", name: mix.name || "the mix" });
  if (slip.moves.length > 0) list.push({ kind: "moves", controls: slip.moves.length });
  const left = new Set(tracks.flatMap((t) => t.automation.map((a) => a.target)).filter((t) => isBefore(slip, t)));
  const out = [...left].filter((target) => leavesOut(slip, target));
  if (out.length > 0) list.push({ kind: "no automation", of: out.length === left.size ? null : out });
  return list.length === 0 ? [{ kind: "source alone" }] : list;
}

/** Whether automation of a kind of control lies in front of a slip's tap, so that it could be in the print. */
const isBefore = ({ tap, returns }: Slip, target: Automation["target"]): boolean =>
  target === "param" ? tap !== "clip" : target === "send" ? returns : tap !== "clip" && tap !== "devices";

/** What stays to be set on the track that plays a print. */
export function staysLive(session: Session, tracks: readonly Track[], slip: Slip): readonly Live[] {
  const { live } = subjectOf(slip);
  if (live) return live;
  if (slip.placed === "pad") return [{ kind: "layer of a pad" }];
  if (slip.placed === "shelf") return [{ kind: "on the shelf" }];
  if (slip.tap === "mix") return [{ kind: "muted before the mix" }];
  const [track] = tracks;
  const one = tracks.length === 1 && track ? track : null;
  const list: Live[] = [];
  const behind = one ? parted(one, slip).live : [];
  if (behind.length > 0) list.push({ kind: "these devices", names: behind.map(nameOf) });
  else if (slip.tap === "clip") list.push({ kind: "devices" });
  if (slip.tap === "clip" || slip.tap === "devices") {
    const isAutomated = one?.automation.some((a) => a.target === "fader") === true;
    list.push({ kind: isAutomated ? "automated fader" : "fader" }, { kind: "pan" });
  }
  if (slip.tap !== "group" && !slip.returns && (!one || one.sends.length > 0))
    list.push({ kind: "sends", count: one ? one.sends.length : null });
  const into = slip.tap === "group" ? mixOf(session) : one ? session.tracks.find((t) => t.id === one.output) : null;
  list.push(into ? { kind: "output", name: into.name || "the mix" } : { kind: "outputs" });
  return list;
}
