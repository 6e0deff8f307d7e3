import { describe, expect, it } from "vitest";
import { answeredFile } from "./answers";
import type { ProbedFile } from "./from-files";
import { bpmInName, filesTimeline, tempoOfFiles } from "./from-files";
import { isMixName } from "./mix-name";
import { joinPairs } from "./pairs";

const file = (path: string, more: Partial<ProbedFile> = {}): ProbedFile => ({
  path,
  title: null,
  rate: 48000,
  channels: 1,
  frames: 1000,
  timeReference: null,
  sha256: null,
  bpm: null,
  ...more,
});

describe("files by themselves", () => {
  it("stand at their stamps, and those of a day from the earliest on", () => {
    const starts = (files: readonly ProbedFile[]) =>
      filesTimeline("x", files, [], null).tracks.map((t) => t.clips[0]?.start);
    expect(starts([file("a.wav"), file("b.wav", { timeReference: 500 })])).toEqual([0, 500]);
    const hour = 48000 * 3600;
    expect(starts([file("a.wav", { timeReference: hour + 7 }), file("b.wav", { timeReference: hour })])).toEqual([
      7, 0,
    ]);
    // A stamp beyond a day is a broken number.
    expect(starts([file("a.wav", { timeReference: 1e15 })])).toEqual([0]);
  });

  it("of which two are the sides of one become one where they are alike, and only there", () => {
    const joined = (...files: readonly ProbedFile[]) => {
      const { timeline, pairs } = joinPairs(filesTimeline("x", files, [], null));
      return [timeline.tracks.map((t) => `${t.name} ${t.channels}`), pairs.length];
    };
    for (const [l, r] of [
      ["Voice L", "Voice R"],
      ["Voice.L", "Voice.R"],
      ["Voice_left", "Voice_right"],
      ["Voice (L)", "Voice (R)"],
    ] as const)
      expect(joined(file(`${l}.wav`), file(`${r}.wav`))).toEqual([["Voice 2"], 1]);
    expect(joined(file("Voice L.wav"), file("Voice R.wav", { frames: 999 }))).toEqual([["Voice L 1", "Voice R 1"], 0]);
    expect(joined(file("Cool.wav"), file("Choir.wav"))).toEqual([["Cool 1", "Choir 1"], 0]);
    expect(joined(file("Voice L.wav", { channels: 2 }), file("Voice R.wav", { channels: 2 }))).toEqual([
      ["Voice L 2", "Voice R 2"],
      0,
    ]);
  });

  it("have the tempo that their tags or names agree on", () => {
    expect(bpmInName("Night ferry 97.5 bpm/Kick.wav")).toBe(97.5);
    expect(bpmInName("120bpm.wav")).toBe(120);
    expect(bpmInName("v1.20bpm.wav")).toBeNull();
    expect(bpmInName("9999 bpm")).toBeNull();
    const tempo = (...files: readonly ProbedFile[]) => tempoOfFiles(files)?.tempo[0]?.bpm ?? null;
    expect(tempo(file("a.wav", { bpm: 90 }), file("b 120 bpm.wav"))).toBe(90);
    expect(tempo(file("a.wav", { bpm: 90 }), file("b.wav", { bpm: 91 }), file("c 100 bpm.wav"))).toBe(100);
    expect(tempo(file("a.wav"))).toBeNull();
  });

  it("are the mix, or answer what was sent, by their names", () => {
    for (const name of ["Rough mix", "MIX", "Song_master", "stereo mix 2", "Night ferry premaster"])
      expect([name, isMixName(name)]).toEqual([name, true]);
    for (const name of ["Mixolydian pad", "Remix vox", "Bass", "Kick mixed"])
      expect([name, isMixName(name)]).toEqual([name, false]);
    const sent = (title: string, role: "stem" | "reference mix") =>
      ({ title, name: `01 ${title}.wav`, role }) as Parameters<typeof answeredFile>[1]["files"][number];
    const files = [sent("Kick", "stem"), sent("Voice", "stem"), sent("Song reference mix", "reference mix")];
    const answered = (name: string) => answeredFile(name, { files })?.title ?? null;
    expect(
      ["Kick", "01 Kick.wav", "kick_v2", "Voice (2)", "Voice tuned rev 3", "Song master", "Bass"].map(answered),
    ).toEqual(["Kick", "Kick", "Kick", "Voice", "Voice", "Song reference mix", null]);
  });
});
