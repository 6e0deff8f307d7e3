import { describe, expect, it } from "vitest";
import { makeDevice } from "../../core/session/build";
import type { Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import type { ItemEntry } from "../parts/item-menu";
import { session } from "../testing/bench-session";
import { deviceEntries, faderEntries, sendEntries } from "./path-menus";

const flat = (entries: readonly ItemEntry[]): readonly ItemEntry[] => entries.flatMap((e) => e.of ?? [e]);
const track = (of: Session, id: string) => of.tracks.find((t) => t.id === id)!;

/** Every entry that is not blocked is taken as an edit by the session, and changes it. */
function allHold(
  document: Session,
  entriesOf: (edit: (label: string, edits: readonly Edit[]) => void) => readonly ItemEntry[],
) {
  const done: string[] = [];
  let asked: string | null = null;
  const entries = entriesOf((label, edits) => {
    const made = applyStep(document, { label, edits: [...edits] });
    expect([asked, made.ok]).toEqual([asked, true]);
    if (made.ok) expect([asked, made.value.session === document]).toEqual([asked, false]);
    done.push(asked ?? "");
  });
  for (const e of flat(entries)) {
    if (e.blocked) continue;
    asked = e.label;
    e.run?.();
  }
  return done;
}

describe("menus of the path map", () => {
  const chain = {
    ...session,
    tracks: session.tracks.map((t) =>
      t.id === "i" ? { ...t, devices: [...t.devices.slice(0, 2), makeDevice("e", "eq", { bell1Db: 3 })] } : t,
    ),
  };
  const noop = () => undefined;
  const moved = { ...session, tracks: session.tracks.map((t) => ({ ...t, pan: 0.5, faderDb: -3 })) };

  it("move, bypass, reset and remove a device; an instrument stays where it is", () => {
    const of = (id: string) => (edit: (label: string, edits: readonly Edit[]) => void) =>
      deviceEntries(
        track(chain, "i"),
        track(chain, "i").devices.find((d) => d.id === id)!,
        {
          edit,
          open: noop,
          tapBefore: noop,
        },
      );
    expect(allHold(chain, of("e"))).toEqual([
      "Bypass device",
      "Reset parameters",
      "Move towards the start",
      "Remove device",
    ]);
    expect(allHold(chain, of("k"))).toEqual(["Bypass device", "Move towards the end", "Remove device"]);
    expect(allHold(chain, of("d"))).toEqual(["Bypass device"]);
  });

  it("set faders, pans and sends", () => {
    expect(allHold(moved, (edit) => faderEntries(track(moved, "a"), edit, noop))).toEqual([
      "Set fader to 0 dB",
      "Set fader to −∞",
      "Center pan",
      "Mute track",
    ]);
    expect(allHold(session, (edit) => sendEntries(session, track(session, "a"), edit, () => "n"))).toEqual([
      "Set to 0 dB",
      "Set to −12 dB",
      "Take before the fader",
      "Remove send",
    ]);
    expect(allHold(session, (edit) => sendEntries(session, track(session, "i"), edit, () => "n"))).toEqual([
      "Send to R",
    ]);
  });
});
