import { declarationOf } from "../../core/devices/catalogue";
import type { Slip } from "../../core/printing/slip";
import type { Session, Track } from "../../core/session/document";
import { groupsAbove, mixOf } from "../../core/session/routing";
import type { Option } from "../parts/option-list";

type At = Pick<Slip, "tap" | "before">;

/** Names a place on a path among the options. */
export const tapKey = ({ tap, before }: At): string => (before === null ? tap : `${tap}/${before}`);
export function tapOf(key: string): At {
  const [tap, before = null] = key.split("/");
  return { tap: tap as At["tap"], before };
}

const nameOf = (type: string): string => declarationOf(type)?.name ?? type;

/** Where a print of some tracks can be tapped, along the path: in front of each device of one track, too. */
export function tapOptions(session: Session, tracks: readonly Track[]): readonly Option<string>[] {
  const [only] = tracks;
  const one = tracks.length === 1 && only ? only : null;
  if (tracks.some((t) => t.kind === "mix"))
    return [
      ...(one ? stops(one, 0).map((o) => ({ ...o, value: `mix/${o.value}` })) : []),
      { value: "mix", label: "at the end of the mix", about: "everything up to the output" },
    ];
  const sums = tracks.some((t) => t.kind === "group" || t.kind === "return");
  const clips = !sums && tracks.every((t) => t.kind === "audio");
  const mix = mixOf(session);
  return [
    ...(clips
      ? [
          {
            value: "clip",
            label: "at its clips",
            about: "fades, gain and stretching are baked; every device goes on living",
          },
        ]
      : []),
    ...(one ? stops(one, sums ? 0 : 1).map((o) => ({ ...o, value: `devices/${o.value}` })) : []),
    {
      value: "devices",
      label: "after its devices",
      about: "the sound itself is baked; fader, pan and sends go on living",
    },
    { value: "channel", label: "after its fader", about: "fader, pan and mute are baked, too" },
    { value: "group", label: "after its groups", about: "with every group on the way; it runs straight into the mix" },
    {
      value: "mix",
      label: "as heard through the mix",
      about: `with ${mix.devices.filter((d) => d.on).length > 0 ? "the mix's chain" : "the mix's fader"}; played in the session again it would pass it twice`,
    },
  ];
}

const stops = (track: Track, first: number): readonly Option<string>[] =>
  track.devices.slice(first).map((d, i) => ({
    value: d.id,
    label: track.kind === "mix" && first + i === 0 ? "before the mix's chain" : `before its ${nameOf(d.type)}`,
    about: `${track.devices
      .slice(first + i)
      .map((b) => nameOf(b.type))
      .join(", ")} ${track.kind === "mix" ? "are not in it" : "go on living"}`,
  }));

/** Whether dynamics lie on the way that hear more than what is printed. */
export const behindDynamics = (session: Session, tracks: readonly Track[], tap: Slip["tap"]): boolean =>
  tracks
    .flatMap((t) => [...groupsAbove(session, t), ...(tap === "mix" ? [mixOf(session)] : [])])
    .some((g) => g.devices.some((d) => d.on && declarationOf(d.type)?.dynamics));
