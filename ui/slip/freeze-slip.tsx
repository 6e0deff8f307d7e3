"use client";

import { declarationOf } from "../../core/devices/catalogue";
import { contentEnd } from "../../core/engine/source";
import type { Session, Track } from "../../core/session/document";
import { formatClock } from "../../core/time/clock";
import { byteText } from "../parts/bytes";
import { Fact } from "../parts/fact";
import { formatDb } from "../../core/words/numbers";
import { barText, clockOf } from "../session/clock";
import { SaveFile } from "../shelf/save-file";
import { trackName, trackStates } from "../session/track-state";
import { Sentence, Said, names, TrackPicker } from "./sentence";

export function FreezeSlip({ tracks, session }: { readonly tracks: readonly Track[]; readonly session: Session }) {
  const clock = clockOf(session);
  const ends = tracks.map((t) => ({ track: t, end: contentEnd(session, { ...t, frozen: null }, clock.tempo) }));
  const longest = ends.reduce((a, b) => (b.end > a.end ? b : a));
  const one = tracks.length === 1;
  const absent = tracks.flatMap((t) =>
    t.devices
      .filter((d) => d.on && !declarationOf(d.type))
      .map((d) => `${d.type} on ${trackName(t)} is not installed: the print will not have it.`),
  );
  const keys = [...new Set(tracks.flatMap((t) => t.devices.flatMap((d) => (d.key === null ? [] : [d.key]))))].flatMap(
    (id) => session.tracks.find((t) => t.id === id) ?? [],
  );
  return (
    <>
      <Sentence>
        Freeze <TrackPicker tracks={tracks} /> from <Said>the start</Said> to <Said>the last sound</Said>, tapped{" "}
        <Said>after {one ? "its" : "their"} devices</Said>, as <Said>one piece</Said>; then{" "}
        {one ? "the track plays its" : "each track plays its own"} print.
      </Sentence>
      <dl className="mt-2 grid grid-cols-[76px_minmax(0,1fr)] gap-x-3 text-[12.5px] leading-[19px]">
        <Fact term="Baked in">
          {bakedIn(tracks)}
          {keys.length > 0 && `, as keyed by ${names(keys)}`}
        </Fact>
        <Fact term="Stays live">{one ? staysLive(session, tracks[0]) : "faders, pans, sends and outputs"}</Fact>
        <Fact term="Length">
          <span className="figure">{formatClock(longest.end / session.rate)}</span> and the measured tail, to bar{" "}
          <span className="figure">{barText(clock, longest.end)}</span>
          {!one && <> (set by {trackName(longest.track)})</>} · about{" "}
          <span className="figure">{byteText(ends.reduce((sum, e) => sum + e.end * 8, 0))}</span> as float
        </Fact>
        {absent.length > 0 && (
          <Fact term="Warning">
            <span className="text-caution">
              {absent[0]}
              {absent.length > 1 && ` And ${absent.length - 1} more.`}
            </span>
          </Fact>
        )}
      </dl>
    </>
  );
}

function bakedIn(tracks: readonly Track[]): string {
  const devices = tracks.flatMap((t) =>
    t.devices.filter((d) => d.on).map((d) => declarationOf(d.type)?.name ?? d.type),
  );
  const clips = tracks.some((t) => t.kind === "audio") ? ["clips with their fades"] : [];
  const list = [...clips, ...(tracks.length === 1 ? devices : [...new Set(devices)])];
  return list.length === 0 ? "the clips as they are" : list.join(" · ");
}

function staysLive(session: Session, track: Track | undefined): string {
  if (!track) return "";
  const output = session.tracks.find((t) => t.id === track.output);
  const fader = track.automation.some((a) => a.target === "fader")
    ? "fader with its automation"
    : `fader ${formatDb(track.faderDb)} dB`;
  const pan =
    track.pan === 0 ? "pan centre" : `pan ${track.pan < 0 ? "L" : "R"}${Math.round(Math.abs(track.pan) * 100)}`;
  const sends =
    track.sends.length === 0 ? "no sends" : `${track.sends.length} ${track.sends.length === 1 ? "send" : "sends"}`;
  return [fader, pan, sends, `into ${output?.name ?? "nothing"}`].join(" · ");
}

export function FrozenSlip({ tracks, session }: { readonly tracks: readonly Track[]; readonly session: Session }) {
  const clock = clockOf(session);
  const states = trackStates(session);
  const stale = tracks.filter((t) => states.get(t.id) === "stale");
  const one = tracks.length === 1;
  const [first] = tracks;
  const print = session.assets.find((a) => a.id === first?.frozen?.asset);
  return (
    <>
      <Sentence>
        <TrackPicker tracks={tracks} /> {one ? "plays its print" : "play their prints"}. Commit to make{" "}
        {one ? "it an audio track" : "them audio tracks"} for good, with the source parked beside; unfreeze to edit.
      </Sentence>
      <dl className="mt-2 grid grid-cols-[76px_minmax(0,1fr)] gap-x-3 text-[12.5px] leading-[19px]">
        {one && print && (
          <Fact term="Print">
            <span className="figure">{formatClock(print.frames / print.rate)}</span>, to bar{" "}
            <span className="figure">{barText(clock, print.frames)}</span> with its tail ·{" "}
            {print.channels === 1 ? "mono" : "stereo"} · float ·{" "}
            <SaveFile
              asset={print}
              trigger={
                <button type="button" className="font-semibold text-spot underline underline-offset-2">
                  save as a file
                </button>
              }
            />
          </Fact>
        )}
        <Fact term="Stays live">{one ? staysLive(session, first) : "faders, pans, sends and outputs"}</Fact>
        {stale.length > 0 && (
          <Fact term="Warning">
            <span className="text-caution">
              {names(stale)} {stale.length === 1 ? "has" : "have"} changed since: the print is stale until it is frozen
              again.
            </span>
          </Fact>
        )}
      </dl>
    </>
  );
}
