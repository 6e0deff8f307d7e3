import fc from "fast-check";
import { expect, it } from "vitest";
import type { Session } from "../session/document";
import { MIX_OUT, listen } from "../testing/listen";
import { randomSessions, recordings } from "../testing/random-session";
import { sessionEnd } from "./render";

const every = (
  session: Session,
  change: (clips: Session["tracks"][number]["clips"]) => Session["tracks"][number]["clips"],
) => ({
  ...session,
  tracks: session.tracks.map((t) => ({ ...t, clips: change(t.clips) })),
});

it("a muted clip sounds as if it were not there, and what lies under it is heard", () => {
  fc.assert(
    fc.property(randomSessions(), fc.nat(7), (session, which) => {
      const mutes = (i: number) => ((which >> (i % 3)) & 1) === 1;
      const muted = every(session, (clips) => clips.map((c, i) => (mutes(i) ? { ...c, muted: true } : c)));
      const gone = every(session, (clips) => clips.filter((c, i) => !mutes(i) && !c.muted));
      const to = Math.max(48000, sessionEnd(gone));
      const [a] = listen(muted, [MIX_OUT], { library: recordings, to, tail: "none" });
      const [b] = listen(gone, [MIX_OUT], { library: recordings, to, tail: "none" });
      expect(a!.left).toEqual(b!.left);
      expect(a!.right).toEqual(b!.right);
      expect(sessionEnd(muted)).toBe(sessionEnd(gone));
    }),
    { numRuns: 6 },
  );
}, 120_000);
