import { declarationOf } from "../../core/devices/catalogue";
import type { Device, Send, Session, Track } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import { addSend, moveDevice, removeDevice, removeSend } from "../../core/session/track-edits";
import type { ItemEntry } from "../parts/item-menu";
import { trackName } from "../session/track-state";

type DoEdit = (label: string, edits: readonly Edit[]) => void;

/** What can be done with a device on the path map. */
export function deviceEntries(
  track: Track,
  device: Device,
  { edit, open, tapBefore }: { readonly edit: DoEdit; readonly open: () => void; readonly tapBefore: () => void },
): readonly ItemEntry[] {
  const declaration = declarationOf(device.type);
  const name = declaration?.name ?? device.type;
  const on = trackName(track);
  const at = track.devices.findIndex((d) => d.id === device.id);
  const first = track.kind === "instrument" ? 1 : 0;
  const isInstrument = at < first;
  const own = isInstrument ? "The instrument is the first of its track" : null;
  const set = (label: string, patch: object) =>
    edit(`${label} ${name} on ${on}`, [{ do: "set", in: "devices", track: track.id, id: device.id, patch }]);
  const changed = Object.keys(device.params);
  return [
    { label: "Open device", run: open },
    {
      label: device.on ? "Bypass device" : "Switch device on",
      run: () => set(device.on ? "Bypass" : "Switch on", { on: !device.on }),
    },
    { label: "Print in front of it…", run: tapBefore, blocked: own },
    {
      label: "Reset parameters",
      run: () => set("Reset", { params: Object.fromEntries(changed.map((id) => [id, null])) }),
      blocked: changed.length === 0 ? "All are at their defaults" : null,
    },
    {
      label: "Move towards the start",
      run: () => edit(`Move ${name} on ${on}`, moveDevice(track, device.id, at - 1)),
      blocked: own ?? (at <= first ? "It is the first" : null),
    },
    {
      label: "Move towards the end",
      run: () => edit(`Move ${name} on ${on}`, moveDevice(track, device.id, at + 1)),
      blocked: own ?? (at >= track.devices.length - 1 ? "It is the last" : null),
    },
    {
      label: "Remove device",
      run: () => edit(`Remove ${name} from ${on}`, removeDevice(track, device.id)),
      blocked: own,
    },
  ];
}

/** What can be done with a fader and a pan. */
export function faderEntries(track: Track, edit: DoEdit, showAutomation: () => void): readonly ItemEntry[] {
  const on = trackName(track);
  const set = (label: string, patch: object) =>
    edit(`${label} of ${on}`, [{ do: "set", in: "tracks", id: track.id, patch }]);
  const ridden = track.automation.some((a) => a.target === "fader") ? "Automation moves the fader" : null;
  return [
    { label: "Set fader to 0 dB", run: () => set("Fader", { faderDb: 0 }), blocked: ridden },
    { label: "Set fader to −∞", run: () => set("Fader", { faderDb: -144 }), blocked: ridden },
    { label: "Center pan", run: () => set("Pan", { pan: 0 }), blocked: track.pan === 0 ? "It is in the center" : null },
    {
      label: track.mute ? "Unmute track" : "Mute track",
      run: () => set(track.mute ? "Unmute" : "Mute", { mute: !track.mute }),
    },
    { label: "Show automation", run: showAutomation },
  ];
}

/** What can be done with the sends of a track. */
export function sendEntries(session: Session, track: Track, edit: DoEdit, newId: () => string): readonly ItemEntry[] {
  const on = trackName(track);
  const nameOf = (id: string) => session.tracks.find((t) => t.id === id)?.name ?? "";
  const others = session.tracks.filter(
    (t) => t.kind === "return" && t.id !== track.id && !track.sends.some((s) => s.to === t.id),
  );
  const set = (send: Send, patch: object) =>
    edit(`Send of ${on} to ${nameOf(send.to)}`, [{ do: "set", in: "sends", track: track.id, id: send.id, patch }]);
  return [
    ...track.sends.map((send): ItemEntry => ({
      label: `To ${nameOf(send.to)}`,
      of: [
        { label: "Set to 0 dB", run: () => set(send, { gainDb: 0 }) },
        { label: "Set to −12 dB", run: () => set(send, { gainDb: -12 }) },
        send.position === "after fader"
          ? { label: "Take before the fader", run: () => set(send, { position: "before fader" }) }
          : { label: "Take after the fader", run: () => set(send, { position: "after fader" }) },
        {
          label: "Remove send",
          run: () => edit(`Remove the send of ${on} to ${nameOf(send.to)}`, removeSend(track, send.id)),
        },
      ],
    })),
    ...others.map((t): ItemEntry => ({
      label: `Send to ${trackName(t)}`,
      run: () => edit(`Send ${on} to ${trackName(t)}`, addSend(track, t.id, newId)),
    })),
  ];
}
