import type { Baked, Live } from "../printing/baked-kinds";
import type { Automation } from "../session/document";

const TARGETS: { readonly [T in Automation["target"]]: string } = {
  fader: "faders",
  pan: "pans",
  mute: "mutes",
  send: "sends",
  param: "devices",
};

/** What is in a print for good, in words. */
export function sayBaked(part: Baked): string {
  switch (part.kind) {
    case "pad layers":
      return "the levels and the tuning of its layers";
    case "clips":
      return "clips with their fades";
    case "channel":
      return "fader, pan and mute";
    case "returns":
      return "what its sends produce";
    case "whole mix":
      return "everything up to the output";
    case "into the mix":
      return "everything that runs into the mix";
    case "source alone":
      return "the sound as it runs in";
    case "device":
      return part.name;
    case "group":
      return `${part.name} with its fader`;
    case "mix chain":
      return `${part.name} with its chain`;
    case "moves":
      return `${part.controls} ridden ${part.controls === 1 ? "control" : "controls"}`;
    case "no automation":
      return part.of === null ? "no automation" : `no automation of ${part.of.map((t) => TARGETS[t]).join(", ")}`;
  }
}

/** What stays to be set on the track that plays a print, in words. */
export function sayLive(part: Live): string {
  switch (part.kind) {
    case "whole kit":
      return "the kit with its tuning, touch and level, and everything behind it";
    case "layer of a pad":
      return "nothing: it is a layer of the pad";
    case "on the shelf":
      return "nothing: it lies on the shelf";
    case "muted before the mix":
      return "nothing: it is placed muted, since it would pass the mix chain again";
    case "automated fader":
      return "fader with its automation";
    case "devices":
    case "fader":
    case "pan":
      return part.kind;
    case "outputs":
      return "their outputs";
    case "these devices":
      return part.names.join(", ");
    case "sends":
      return part.count === null ? "sends" : `${part.count} ${part.count === 1 ? "send" : "sends"}`;
    case "output":
      return `into ${part.name}`;
  }
}
