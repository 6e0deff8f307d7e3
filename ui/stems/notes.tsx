"use client";

import { useState } from "react";
import { useSessionParts } from "../session/provider";

/** What is written to the receiver: it stands on the sheet and on the receiver's page. */
export function Notes() {
  const { notes, edit } = useSessionParts((s) => ({ notes: s.session.sheet.notes, edit: s.edit }));
  const [draft, setDraft] = useState<string | null>(null);
  return (
    <label className="block">
      <span className="text-soft">Notes for the receiver. They stand on its sheet and on the receiver’s page.</span>
      <textarea
        aria-label="Notes to the receiver"
        value={draft ?? notes}
        maxLength={10000}
        rows={14}
        placeholder="The hum in bar 9 is meant. Please leave the fade to me."
        onChange={(e) => setDraft(e.target.value)}
        onKeyDown={(e) => e.stopPropagation()}
        onBlur={() => {
          if (draft !== null && draft !== notes)
            edit("Notes to the receiver", [{ do: "set sheet", patch: { notes: draft } }]);
          setDraft(null);
        }}
        className="mt-2 w-full rounded-sm border border-rule bg-lift p-2 text-[13px] leading-snug hover:border-ink"
      />
    </label>
  );
}
