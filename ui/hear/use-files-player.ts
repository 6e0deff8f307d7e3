"use client";

import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { HeardFile, PlayerState } from "./files-player";
import { FilesPlayer } from "./files-player";

const SILENT: PlayerState = { playing: false, waiting: false, fault: null };

export interface Hearing extends PlayerState {
  toggle(): void;
  seek(toS: number): void;
  /** Now, in seconds from the files' first frame: for what is drawn sixty times a second. */
  positionS(): number;
}

/** Files heard together; `gainOf` says what is heard of each, and may change while they play. */
export function useFilesPlayer(files: readonly HeardFile[], gainOf: (key: string) => number): Hearing {
  const [state, setState] = useState<PlayerState>(SILENT);
  const player = useRef<FilesPlayer | null>(null);
  const wanted = useRef(0);
  // A sound card is asked for with the first press, which browsers want anyway.
  const get = useCallback(() => {
    player.current ??= new FilesPlayer(files, setState);
    return player.current;
  }, [files]);
  useEffect(
    () => () => {
      player.current?.close();
      player.current = null;
    },
    [files],
  );
  useEffect(() => player.current?.mix(gainOf), [gainOf, state.playing]);
  return useMemo(
    () => ({
      ...state,
      toggle: () => {
        const p = get();
        p.mix(gainOf);
        if (state.playing) p.pause();
        else void p.play(p.positionS || wanted.current);
        wanted.current = 0;
      },
      seek: (toS) => {
        if (player.current) player.current.seek(toS);
        else {
          wanted.current = toS;
          setState({ ...SILENT });
        }
      },
      positionS: () => player.current?.positionS ?? wanted.current,
    }),
    [state, get, gainOf],
  );
}
