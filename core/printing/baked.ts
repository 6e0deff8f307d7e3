import { declarationOf } from "../devices/catalogue";
import type { Automation, Device, Session, Track } from "../session/document";
import { mixOf } from "../session/routing";
import { groupsAbove } from "../session/routing";
import type { Slip } from "./slip";
import { leavesOut, parted } from "./slip";

const TARGETS: { readonly [T in Automation["target"]]: string } = {
  fader: "faders",
  pan: "pans",
  mute: "mutes",
  send: "sends",
  param: "devices",
};

/** What is in a print for good, in words. */
export function bakedIn(session: Session, tracks: readonly Track[], slip: Slip): readonly string[] {
  if (slip.of.what === "pad") return ["the levels and the tuning of its layers"];
  const list: string[] = [];
  const name = (d: Device) => declarationOf(d.type)?.name ?? d.type;
  const devices = (t: Track) =>
    parted(t, slip)
      .baked.filter((d) => d.on)
      .map(name);
  if (tracks.some((t) => t.kind === "audio")) list.push("clips with their fades");
  const mix = mixOf(session);
  const ofMix = tracks.some((t) => t.kind === "mix");
  list.push(...new Set(tracks.flatMap(devices)));
  if (slip.tap === "channel" || slip.tap === "group" || (slip.tap === "mix" && !ofMix))
    list.push("fader, pan and mute");
  if (slip.tap === "group" || (slip.tap === "mix" && !ofMix))
    list.push(
      ...new Set(tracks.flatMap((t) => groupsAbove(session, t)).map((g) => `${g.name || "group"} with its fader`)),
    );
  if (slip.returns) list.push("what its sends produce");
  if (ofMix) list.unshift(slip.before === null ? "everything up to the output" : "everything that runs into the mix");
  else if (slip.tap === "mix") list.push(`${mix.name || "the mix"} with its chain`);
  if (slip.moves.length > 0)
    list.push(`${slip.moves.length} ridden ${slip.moves.length === 1 ? "control" : "controls"}`);
  const left = new Set(tracks.flatMap((t) => t.automation.map((a) => a.target)).filter((t) => isBefore(slip, t)));
  const out = [...left].filter((target) => leavesOut(slip, target));
  if (out.length > 0)
    list.push(out.length === left.size ? "no automation" : `no automation of ${out.map((t) => TARGETS[t]).join(", ")}`);
  return list.length === 0 ? ["the sound as it runs in"] : list;
}

/** Whether automation of a kind of control lies in front of a slip's tap, so that it could be in the print. */
const isBefore = ({ tap, returns }: Slip, target: Automation["target"]): boolean =>
  target === "param" ? tap !== "clip" : target === "send" ? returns : tap !== "clip" && tap !== "devices";

/** What goes on living on the track that plays it. */
export function staysLive(session: Session, tracks: readonly Track[], slip: Slip): readonly string[] {
  if (slip.of.what === "pad") return ["the kit with its tuning, touch and level, and everything behind it"];
  if (slip.placed === "pad") return ["nothing: it is a layer of the pad"];
  if (slip.placed === "shelf") return ["nothing: it lies on the shelf"];
  if (slip.tap === "mix") return ["nothing: it is placed muted, since it would pass the mix chain again"];
  const [track] = tracks;
  const one = tracks.length === 1 && track ? track : null;
  const list: string[] = [];
  const behind = one ? parted(one, slip).live : [];
  if (behind.length > 0) list.push(behind.map((d) => declarationOf(d.type)?.name ?? d.type).join(", "));
  else if (slip.tap === "clip") list.push("devices");
  if (slip.tap === "clip" || slip.tap === "devices")
    list.push(one?.automation.some((a) => a.target === "fader") ? "fader with its ride" : "fader", "pan");
  if (slip.tap !== "group" && !slip.returns && (!one || one.sends.length > 0))
    list.push(one ? `${one.sends.length} ${one.sends.length === 1 ? "send" : "sends"}` : "sends");
  const into = slip.tap === "group" ? mixOf(session) : one ? session.tracks.find((t) => t.id === one.output) : null;
  list.push(into ? `into ${into.name || "the mix"}` : "their outputs");
  return list;
}
