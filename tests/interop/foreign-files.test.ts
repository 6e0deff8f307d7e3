import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { readAaf } from "../../core/formats/aaf/read";
import { readAdl } from "../../core/formats/adl/read";
import { MemorySource } from "../../core/formats/bytes/bytes";
import { readDawproject } from "../../core/formats/dawproject/read";
import { readMidiTimeline } from "../../core/formats/midi/timeline";
import { readOtio } from "../../core/formats/otio/read";
import { lossesOfOpening } from "../../core/interchange/opening";
import type { Loss, Part } from "../../core/timeline/loss";
import type { ReadTimeline } from "../../core/timeline/places";
import { python, readersMissing } from "./readers/readers";
import { share } from "../setup/share";

/**
 * Session files of libraries that are not ours, with elements that a session here cannot hold: every one of them is
 * reported. Sixty files a kind, each with its own draw of them.
 */
const why = readersMissing();
if (why !== null) console.warn(`Foreign session files by others are SKIPPED: ${why}`);
const FILES = share(60);

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-foreign-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** What of a report says it: its part, and a word of its detail or place. */
type Said = readonly [part: Part, word?: string];
type Read = Pick<ReadTimeline<never>, "timeline" | "losses">;
interface Kind {
  readonly read: (path: string) => Read;
  readonly says: Readonly<Record<string, Said>>;
}

const KINDS: Readonly<Record<string, Kind>> = {
  otio: {
    read: (path) => readOtio(readFileSync(path, "utf8")),
    says: {
      "marker on track": ["markers", "here"],
      "marker on clip": ["markers", "there"],
      "effect on track": ["devices", "Air"],
      "effect on clip": ["devices", "Grit"],
      "effect on all": ["devices", "Glue"],
      "speed of clip": ["speed changes", "slow"],
      "frozen clip": ["speed changes", "still"],
      "generated clip": ["what it holds beside sound", "GeneratorReference"],
      "clip switched off": ["clips", "switched off"],
      "picture track": ["what it holds beside sound", "Picture"],
      "words of another program": ["what it holds beside sound", "elsewhere"],
      "words about the timeline": ["what it holds beside sound", "elsewhere"],
      "another version of the media": ["takes", "small"],
      "marker with a length": ["ranges", "chorus"],
      "marker with words": ["what it holds beside sound", "verse"],
    },
  },
  midi: {
    read: (path) => readMidiTimeline(new Uint8Array(readFileSync(path)), "x"),
    says: {
      controller: ["controllers", "controller"],
      bend: ["controllers", "pitch bend"],
      program: ["controllers", "program"],
      aftertouch: ["note expressions", "aftertouch"],
      "aftertouch of a key": ["note expressions", "aftertouch"],
      "system exclusive": ["controllers", "system exclusive"],
      "key signature": ["what it holds beside sound", "key signature"],
      lyrics: ["what it holds beside sound", "lyrics"],
      text: ["what it holds beside sound", "texts"],
      copyright: ["what it holds beside sound", "texts"],
      "sequencer's own": ["controllers", "other events"],
      "release velocity": ["note expressions", "release"],
    },
  },
  dawproject: {
    read: (path) =>
      readDawproject(execFileSync("unzip", ["-p", path, "project.xml"], { encoding: "utf8" }), "x", () => null),
    says: {
      colour: ["colours and comments", "color"],
      comment: ["colours and comments", "comment"],
      solo: ["solos"],
      "release velocity": ["note expressions", "release"],
      "expression in a note": ["note expressions", "within"],
      "expression of a clip": ["automation"],
      "device of elsewhere": ["devices", "Shine"],
      "device automation": ["device automation"],
      "send that is switched off": ["sends", "switched off"],
      "control group": ["groups", "All"],
      scenes: ["clips", "A"],
      picture: ["what it holds beside sound", "picture"],
      "faded around several": ["fades", "several"],
    },
  },
  adl: {
    read: (path) => readAdl(readFileSync(path, "utf8")),
    says: {
      "notes of the project": ["colours and comments", "PROJ_NOTES"],
      "curved fade": ["curved fades"],
      "unknown event": ["what it holds beside sound", "Wobble"],
      remark: ["colours and comments", "MOOD"],
      "faders that move": ["automation", "FADER_LIST"],
      markers: ["markers", "MARKER_LIST"],
    },
  },
  aaf: {
    read: (path) => readAaf(new MemorySource(readFileSync(path))),
    says: {
      "effect on clip": ["devices", "equaliser"],
      "effect on track": ["devices", "equaliser"],
      "pan of a clip": ["pans", "clip"],
      "another take": ["takes"],
      "layers in a scope": ["layered clips"],
      "another version of the media": ["takes", "version"],
      "picture track": ["what it holds beside sound", "Picture"],
      "another composition": ["what it holds beside sound", "another composition"],
      comment: ["colours and comments", "Director"],
    },
  },
};

/** Devices, and what moves them, are found to be missing where the session is made. */
const reported = ({ timeline, losses }: Read): readonly Loss[] =>
  [...losses, ...lossesOfOpening(timeline, () => ({ frames: 1e6, rate: 48000, channels: 2 }), 48000)].filter(
    (l) => l.fate !== "kept",
  );

describe.skipIf(why !== null)("what others' session files hold beside what a session can", () => {
  test.each(Object.entries(KINDS))("%s: every planted element is reported", (kind, { read, says }) => {
    const files = python("write_foreign.py", kind, join(folder, kind), String(FILES), "11") as {
      readonly path: string;
      readonly planted: readonly string[];
    }[];
    const silent: Record<string, number> = {};
    let planted = 0;
    for (const file of files) {
      const losses = reported(read(file.path));
      for (const name of file.planted) {
        planted++;
        const said = says[name];
        if (!said) throw new Error(`nothing says what "${name}" is reported as`);
        const [part, word = ""] = said;
        const found = losses.some((l) => l.part === part && `${l.where} ${l.detail}`.includes(word));
        if (!found) silent[name] = (silent[name] ?? 0) + 1;
      }
    }
    expect(silent).toEqual({});
    expect(planted).toBeGreaterThan(FILES);
    console.log(`${kind} of others: ${files.length} files, ${planted} foreign elements, 0 silent`);
  });
});
