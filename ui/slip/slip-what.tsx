"use client";

import { phraseOf } from "../../core/printing/members/family";
import { placementsOf } from "../../core/printing/members/phrase";
import type { Slip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import type { Option } from "../parts/option-list";
import { Pick } from "./slip-pick";
import type { Subject } from "./slip-store";
import { chosenPhrase, useSlip } from "./slip-store";
import { shownName } from "../../core/session/names";

/** What is printed: the tracks, or the chosen clips of them, or the chosen clip's phrase wherever it is placed. */
export function What({ slip, session }: { readonly slip: Slip; readonly session: Session }) {
  const { selected, selectedClips } = useSessionParts((s) => ({
    selected: s.selected,
    selectedClips: s.selectedClips,
  }));
  const about = useSlip((s) => s.about);
  const phraseId = chosenPhrase(session, { selectedClips });
  const phrase = session.phrases.find((p) => p.id === phraseId);
  const chosen = session.tracks.filter((t) => selected.includes(t.id) && !t.parked);
  const names = chosen.length <= 2 ? chosen.map(trackName).join(" and ") : `${chosen.length} tracks`;
  const sums = chosen.some((t) => t.kind === "group" || t.kind === "return" || t.kind === "mix");
  if (selectedClips.length === 0 || sums) return <b className="font-semibold">{names}</b>;
  const options: Option<Subject>[] = [
    {
      value: "clips",
      label: `${selectedClips.length === 1 ? "the chosen clip" : `${selectedClips.length} chosen clips`} of ${names}`,
    },
    { value: "tracks", label: names, about: "everything on it" },
  ];
  if (phrase) {
    const placed = session.tracks.filter((t) => !t.parked).reduce((n, t) => n + placementsOf(t, phrase.id).length, 0);
    options.push({
      value: "phrase",
      label: `the phrase “${shownName(phrase)}” of ${names}, wherever it is placed`,
      about: `${placed} ${placed === 1 ? "placement gives" : "placements give"} way to ${placed === 1 ? "its" : "their"} print`,
    });
  }
  return (
    <Pick
      label="What is printed"
      value={phraseOf(slip) !== null ? "phrase" : slip.clips === null ? "tracks" : "clips"}
      options={options}
      onChange={about}
    />
  );
}
