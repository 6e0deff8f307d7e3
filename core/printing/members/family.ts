import type { Slip } from "../slip";
import { clips } from "./clips";
import { hardware } from "./hardware";
import { livePass } from "./live-pass";
import { loop } from "./loop";
import type { Member } from "./member";
import { pad } from "./pad";
import { phrase } from "./phrase";

const subjects: { readonly [What in Slip["of"]["what"]]: Member } = { clips, phrase, pad };

/** What is printed: who makes its pieces. */
export const subjectOf = ({ of }: Slip): Member => subjects[of.what];

/** The phrase that is printed as such; null: none is. */
export const phraseOf = (slip: Slip): string | null => subjectOf(slip).phraseOf?.(slip) ?? null;

/** Everybody who has something to say about a slip, how it is printed before what. */
export const membersOfFamily = (slip: Slip): readonly Member[] => [livePass, hardware, loop, subjectOf(slip)];
