import { MalformedFile } from "../bytes/bytes";

/** A header with what stands under it: `<region>` and its opcodes, in the order of the text. */
export interface Section {
  readonly header: string;
  readonly opcodes: readonly (readonly [name: string, value: string])[];
}

/** Gives the text of a file of the instrument's folder by its path, or null where there is none. */
export type FindText = (path: string) => string | null;

const MOST_DEPTH = 8;
const MOST_FILES = 256;
const MOST_LETTERS = 16 << 20;
const MOST_OPCODES = 500_000;

/** Where a path leads from the instrument's folder; null where it leads out of it. */
export function pathIn(folder: string, path: string): string | null {
  const parts: string[] = [];
  const all = path.replace(/\\/g, "/");
  if (/^([a-z]:|\/)/i.test(all)) return null;
  for (const part of `${folder}/${all}`.split("/")) {
    if (part === "" || part === ".") continue;
    if (part !== "..") parts.push(part);
    else if (parts.pop() === undefined) return null;
  }
  return parts.join("/");
}

/**
 * Splits the text of an SFZ into its sections, with what it includes in its place and what it defines put in. Throws
 * `MalformedFile`.
 */
export function sectionsOf(main: string, text: FindText): readonly Section[] {
  const defined = new Map<string, string>();
  const sections: { header: string; opcodes: [string, string][] }[] = [];
  const budget = { files: 0, letters: 0, opcodes: 0 };
  const folder = main.includes("/") ? main.slice(0, main.lastIndexOf("/")) : "";

  const filledIn = (line: string): string =>
    line.includes("$") ? line.replace(/\$\w+/g, (name) => longest(defined, name)) : line;

  const read = (path: string, depth: number): void => {
    if (depth > MOST_DEPTH) throw new MalformedFile(`"${path}" is included more than ${MOST_DEPTH} files deep`);
    if (++budget.files > MOST_FILES) throw new MalformedFile(`More than ${MOST_FILES} files are included`);
    const own = text(path);
    if (own === null) throw new MalformedFile(`"${path}" is not there`);
    budget.letters += own.length;
    if (budget.letters > MOST_LETTERS) throw new MalformedFile(`The text has more than ${MOST_LETTERS >> 20} MB`);
    for (const raw of withoutComments(own).split(/\r\n|\r|\n/)) {
      const [, included] = /^\s*#include\s+"([^"]*)"/.exec(raw) ?? [];
      if (included !== undefined) {
        const found = pathIn(folder, filledIn(included));
        if (found === null) throw new MalformedFile(`"${included}" lies outside of the folder`);
        read(found, depth + 1);
        continue;
      }
      const [, name, value] = /^\s*#define\s+(\$\w+)\s+(\S+)/.exec(raw) ?? [];
      if (name !== undefined && value !== undefined) {
        defined.set(name, value);
        continue;
      }
      line(filledIn(raw));
    }
  };

  /** Headers and opcodes; a value goes on to the next opcode or header, so that it may hold spaces. */
  const line = (content: string): void => {
    for (const [, header, name, value = ""] of content.matchAll(
      /<(\w+)>|([A-Za-z_]\w*)=((?:(?!\s+[A-Za-z_]\w*=|\s*<\w+>).)*)/g,
    )) {
      if (++budget.opcodes > MOST_OPCODES) throw new MalformedFile(`There are more than ${MOST_OPCODES} opcodes`);
      if (header !== undefined) sections.push({ header: header.toLowerCase(), opcodes: [] });
      else if (name !== undefined) sections.at(-1)?.opcodes.push([name.toLowerCase(), value.trim()]);
    }
  };

  read(main, 0);
  return sections;
}

/** Of names that begin alike, the longest that is defined: `$KEYS` before `$KEY`. */
function longest(defined: ReadonlyMap<string, string>, name: string): string {
  for (let end = name.length; end > 1; end--) {
    const value = defined.get(name.slice(0, end));
    if (value !== undefined) return value + name.slice(end);
  }
  return name;
}

const withoutComments = (text: string): string =>
  text.replace(/\/\*[\s\S]*?\*\//g, (all) => all.replace(/[^\n]/g, "")).replace(/\/\/[^\n\r]*/g, "");
