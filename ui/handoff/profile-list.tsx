"use client";

import { Trash2 } from "lucide-react";
import { useState } from "react";
import { applyProfile, profileOf } from "../../core/delivery/profiles";
import { Button } from "../parts/button";
import { Editable } from "../parts/editable";
import { useSessionParts } from "../session/provider";
import { useProfiles } from "../session/use-profiles";

/** The receiver of the package: one press fills the whole sheet, and it can be undone. */
export function ProfileList() {
  const { session, take } = useSessionParts((s) => ({ session: s.session, take: s.take }));
  const { all, own, save, remove } = useProfiles();
  const [naming, setNaming] = useState(false);
  const { receiver } = session.sheet;
  return (
    <section aria-labelledby="for-whom" className="min-h-0 overflow-auto border-r border-ink px-5 pt-4 pb-6">
      <h1 id="for-whom" className="text-[26px] leading-none font-bold tracking-tight">
        Receiver
      </h1>
      <ul className="mt-3 divide-y divide-rule border-y border-rule">
        {all.map((profile) => {
          const saved = own.find((p) => p.id === profile.id);
          const chosen = profile.name === receiver;
          return (
            <li key={profile.id ?? profile.name} className={`flex items-start ${chosen ? "bg-spot-wash" : ""}`}>
              <button
                type="button"
                aria-pressed={chosen}
                onClick={() => take(applyProfile(session, profile))}
                className="min-w-0 flex-1 px-2 py-2 text-left hover:bg-shade"
              >
                <b className="block font-semibold">{profile.name}</b>
                <span className="block text-xs leading-snug text-soft">{profile.body.about}</span>
              </button>
              {saved && (
                <button
                  type="button"
                  aria-label={`Remove the profile ${saved.name}`}
                  onClick={() => remove(saved)}
                  className="m-1 grid size-7 place-items-center text-soft hover:text-ink"
                >
                  <Trash2 size={13} aria-hidden />
                </button>
              )}
            </li>
          );
        })}
      </ul>
      {naming ? (
        <Editable
          value=""
          label="Name of the profile"
          open
          onCommit={(name) => {
            setNaming(false);
            if (name !== "") save(name, profileOf(session, `As the sheet of ${session.name} was.`));
          }}
          onLeave={() => setNaming(false)}
          className="mt-3 h-8 border border-rule px-2"
        />
      ) : (
        <Button className="mt-3" onClick={() => setNaming(true)}>
          Save as a profile
        </Button>
      )}
    </section>
  );
}
