import { mixOf } from "../../core/session/routing";
import type { PlaybackStoreApi } from "../playback/store";
import { actionsOn } from "../actions/action";
import type { SessionStoreApi } from "../session/store";
import { useSlip } from "./slip-store";

/**
 * Plays from the playhead, or the marked stretch once, and keeps what is ridden until playing stops; then the slip is
 * ready to print it.
 */
export function startLivePass(store: SessionStoreApi, playback: PlaybackStoreApi, news: (text: string) => void): void {
  const { id, startRide } = store.getState();
  const { stretch, seek, toggle, state, loop, position } = playback.getState();
  if (state !== "stopped") toggle();
  loop(false);
  if (stretch) seek(stretch.from);
  startRide(() => playback.getState().position());
  const watch = setInterval(() => {
    if (playback.getState().state === "playing") {
      end = playback.getState().position();
      start = Math.min(start, end);
    }
    if (stretch && playback.getState().position() >= stretch.to) playback.getState().stop();
  }, 30);
  let began = false;
  let start = position();
  let end = start;
  const leave = playback.subscribe((now) => {
    // Stopped before the first sound, it is over, too.
    if (now.state !== "stopped") began = true;
    if (now.state !== "stopped" || !began) return;
    leave();
    clearInterval(watch);
    const moves = store.getState().endRide();
    const slip = useSlip.getState();
    const { selected, select, session } = store.getState();
    // What was heard is what is printed: the mix, or the group that was chosen.
    const sum = session.tracks.find((t) => selected.includes(t.id) && (t.kind === "group" || t.kind === "mix"));
    const heard = sum ?? mixOf(session);
    slip.ride(moves.length === 0 ? null : { session: id, moves });
    // Without moves it is what was played; with them all of it, as they hold on behind the last one.
    const range =
      stretch ?? (moves.length === 0 && end > start ? { from: Math.round(start), to: Math.round(end) } : null);
    slip.want({
      ...(heard.kind === "mix" ? { tap: "mix", placed: "shelf" } : { tap: "channel", returns: true }),
      before: null,
      ...(range ? { range: { by: "stretch", from: range.from, to: range.to } } : {}),
    });
    select([heard.id]);
    const what =
      moves.length === 0
        ? "No control was moved."
        : `${moves.length === 1 ? "One control was" : `${moves.length} controls were`} moved.`;
    news(`${what} The slip prints ${heard.name || "the mix"} as it was played. The session itself is as it was.`);
  });
  playback.getState().toggle();
}

/** Begins and ends a live pass. */
export const livePassActions = actionsOn(
  (context) => context,
  [
    {
      id: "live-pass",
      group: "Print",
      label: "Live pass: play, and keep what is ridden for the next print",
      labelNow: ({ session }) =>
        session.getState().riding === null
          ? "Live pass: play, and keep what is ridden for the next print"
          : "End the live pass",
      key: "R",
      run: ({ session, playback, tell }) =>
        session.getState().riding === null ? startLivePass(session, playback, tell) : playback.getState().stop(),
    },
  ],
);
