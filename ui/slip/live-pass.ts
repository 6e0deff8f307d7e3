import type { PlaybackStoreApi } from "../playback/store";
import type { Action } from "../session/actions";
import type { SessionStoreApi } from "../session/store";
import { useSlip } from "./slip-store";

/**
 * Plays from the playhead, or the marked stretch once, and keeps what is ridden until playing stops; then the slip is
 * ready to print it.
 */
export function startLivePass(store: SessionStoreApi, playback: PlaybackStoreApi, news: (text: string) => void): void {
  const { id, startRide } = store.getState();
  const { stretch, seek, toggle, state, loop } = playback.getState();
  if (state !== "stopped") toggle();
  loop(false);
  if (stretch) seek(stretch.from);
  startRide(() => playback.getState().position());
  const watch = setInterval(() => {
    if (stretch && playback.getState().position() >= stretch.to) playback.getState().stop();
  }, 30);
  let began = false;
  const leave = playback.subscribe((now) => {
    // Stopped before the first sound, it is over, too.
    if (now.state !== "stopped") began = true;
    if (now.state !== "stopped" || !began) return;
    leave();
    clearInterval(watch);
    const moves = store.getState().endRide();
    const slip = useSlip.getState();
    if (moves.length === 0) return news("Nothing was ridden: the session is as it was.");
    slip.ride({ session: id, moves });
    slip.want({ tap: "channel", ...(stretch ? { range: { by: "stretch", ...stretch } } : {}) });
    const touched = [...new Set(moves.map((m) => m.track))];
    const { selected, select } = store.getState();
    // What was ridden is what is printed, unless other tracks were chosen that it is among.
    if (!touched.every((t) => selected.includes(t))) select(touched);
    news(
      `${moves.length === 1 ? "One control was" : `${moves.length} controls were`} ridden. The slip is ready to print it; the session itself is as it was.`,
    );
  });
  playback.getState().toggle();
}

export function livePassActions(
  store: SessionStoreApi,
  playback: PlaybackStoreApi,
  news: (text: string) => void,
): readonly Action[] {
  const riding = store.getState().riding !== null;
  return [
    {
      id: "live-pass",
      group: "Print",
      label: riding ? "End the live pass" : "Live pass: play, and keep what is ridden for the next print",
      key: "R",
      blocked: null,
      run: () => (riding ? playback.getState().stop() : startLivePass(store, playback, news)),
    },
  ];
}
