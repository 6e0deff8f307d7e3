"use client";

import { applyProfile } from "../../core/delivery/profiles";
import { Choice } from "../parts/choice";
import { useSessionParts } from "../session/provider";
import { useProfiles } from "../session/use-profiles";

const NO_RECEIVER = "no receiver chosen";

/** Whom the sheet is for: one choice fills all of it. */
export function ReceiverPick() {
  const { session, take } = useSessionParts((s) => ({ session: s.session, take: s.take }));
  const { all } = useProfiles();
  const { receiver } = session.sheet;
  const chosen = all.find((p) => p.name === receiver);
  return (
    <div className="mt-2 flex items-center gap-2">
      <span className="shrink-0 text-soft">For</span>
      <Choice
        label="Whom the sheet is for"
        value={receiver || NO_RECEIVER}
        options={[
          ...(chosen ? [] : [{ value: receiver || NO_RECEIVER, label: receiver || NO_RECEIVER }]),
          ...all.map((p) => ({ value: p.name, label: p.name, about: p.body.about })),
        ]}
        onChange={(name) => {
          const profile = all.find((p) => p.name === name);
          if (profile) take(applyProfile(session, profile));
        }}
        className="min-w-36 font-semibold"
      />
    </div>
  );
}
