"use client";

import { Plus, X } from "lucide-react";
import type { Send, Session, Track } from "../../core/session/document";
import { addSend, removeSend } from "../../core/session/track-edits";
import { Button } from "../parts/button";
import { Choice } from "../parts/choice";
import { Floating } from "../parts/floating";
import { itemMenu } from "../parts/item-menu";
import { formatDb } from "../../core/words/numbers";
import { NumberField } from "../parts/number-field";
import { useSession } from "../session/provider";
import { trackName } from "../session/track-state";
import { COLUMN } from "./path-layout";
import { sendEntries } from "./path-menus";

export function Sends({ track, session }: { readonly track: Track; readonly session: Session }) {
  const edit = useSession((s) => s.edit);
  const name = trackName(track);
  const target = (send: Send) => session.tracks.find((t) => t.id === send.to)?.name ?? "";
  const others = session.tracks.filter(
    (t) => t.kind === "return" && t.id !== track.id && !track.sends.some((s) => s.to === t.id),
  );
  return (
    <Floating
      label={`Sends of ${name}`}
      side="left"
      width={330}
      trigger={
        <button
          type="button"
          aria-label={`Sends of ${name}`}
          title={
            track.sends.length === 0
              ? `Send ${name} to a return`
              : track.sends.map((s) => `${formatDb(s.gainDb)} dB to ${target(s)}, ${s.position}`).join("\n")
          }
          className="absolute top-[var(--middle)] size-6 rounded-full hover:bg-spot-wash/60"
          style={{ left: COLUMN.send - 12 }}
          {...itemMenu(`Sends of ${name}`, () => sendEntries(session, track, edit, () => crypto.randomUUID()))}
        />
      }
    >
      <h3 className="text-base font-semibold">Sends of {name}</h3>
      {track.sends.length === 0 && (
        <p className="text-xs text-soft">
          None yet. A send lets a part of the sound run through a return besides its own way.
        </p>
      )}
      {track.sends.map((send) => (
        <div key={send.id} className="mt-2 flex items-center gap-2 text-xs">
          <span className="min-w-0 flex-1 truncate">
            to <b>{target(send)}</b>
          </span>
          <Choice
            label={`Where the send to ${target(send)} leaves`}
            value={send.position}
            className="text-xs"
            options={[
              { value: "after fader", label: "after fader", about: "follows the fader and the mute" },
              { value: "before fader", label: "before fader", about: "sounds on whatever the fader does" },
            ]}
            onChange={(position) =>
              edit(`Send of ${name} to ${target(send)} ${position}`, [
                { do: "set", in: "sends", track: track.id, id: send.id, patch: { position } },
              ])
            }
          />
          <NumberField
            label={`Send to ${target(send)}, dB`}
            unit="dB"
            neutral={0}
            value={send.gainDb}
            min={-144}
            max={24}
            onCommit={(gainDb) =>
              edit(`Send of ${name} to ${target(send)}`, [
                { do: "set", in: "sends", track: track.id, id: send.id, patch: { gainDb } },
              ])
            }
            className="w-14"
          />
          <span className="text-soft">dB</span>
          <button
            type="button"
            aria-label={`Remove the send to ${target(send)}`}
            title="Remove"
            onClick={() => edit(`Remove the send of ${name} to ${target(send)}`, removeSend(track, send.id))}
            className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
          >
            <X size={13} aria-hidden />
          </button>
        </div>
      ))}
      {others.length > 0 && (
        <div className="mt-3 flex flex-wrap gap-2 border-t border-rule pt-3">
          {others.map((t) => (
            <Button
              key={t.id}
              onClick={() =>
                edit(
                  `Send ${name} to ${trackName(t)}`,
                  addSend(track, t.id, () => crypto.randomUUID()),
                )
              }
            >
              <Plus size={13} aria-hidden /> {trackName(t)}
            </Button>
          ))}
        </div>
      )}
    </Floating>
  );
}
