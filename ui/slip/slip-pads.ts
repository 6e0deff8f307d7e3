import { FIRST_PAD_NOTE, PADS, kit } from "../../core/devices/kit";
import { layersOf, padHasRoom } from "../../core/printing/members/pad";
import type { Slip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import { trackName } from "../session/track-state";
import type { Option } from "../parts/option-list";

export type Pad = NonNullable<Slip["pad"]>;
export const padKey = ({ track, device, pad }: Pad): string => `${track}/${device}/${pad}`;

/** Every pad of every kit that takes another layer. */
function roomyPads(session: Session): readonly { readonly pad: Pad; readonly label: string; readonly about: string }[] {
  return session.tracks.flatMap((t) =>
    t.devices
      .filter((d) => d.type === kit.type)
      .flatMap((d) =>
        Array.from({ length: PADS }, (_, pad) => pad)
          .filter((pad) => padHasRoom(d, pad))
          .map((pad) => {
            const layers = layersOf(d, pad).length;
            return {
              pad: { track: t.id, device: d.id, pad },
              label: `pad ${pad + 1} of ${trackName(t)}`,
              about: `note ${FIRST_PAD_NOTE + pad}, ${layers === 0 ? "empty" : layers === 1 ? "one layer so far" : `${layers} layers so far`}`,
            };
          }),
      ),
  );
}

export const padOptions = (session: Session): readonly Option<string>[] =>
  roomyPads(session).map(({ pad, label, about }) => ({ value: padKey(pad), label, about }));
export const padOf = (session: Session, key: string): Pad | null =>
  roomyPads(session).find(({ pad }) => padKey(pad) === key)?.pad ?? null;
/** An empty pad, or else any that has room. */
export const firstRoom = (session: Session): Pad | null => {
  const pads = roomyPads(session);
  return (pads.find((p) => p.about.endsWith("empty")) ?? pads[0])?.pad ?? null;
};
