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
/** Longer than any line that people write; what a name stands for is shorter still. */
const MOST_OF_LINE = 1 << 18;
const MOST_OF_VALUE = 256;
const MOST_OF_NAME = 64;

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
    line.includes("$") ? line.replace(/\$\w{1,64}/g, (name) => longest(defined, name)) : line;

  const read = (path: string, depth: number): void => {
    if (depth > MOST_DEPTH) throw new MalformedFile(`"${path}" is included more than ${MOST_DEPTH} files deep`);
    if (++budget.files > MOST_FILES) throw new MalformedFile(`More than ${MOST_FILES} files are included`);
    const own = text(path);
    if (own === null) throw new MalformedFile(`"${path}" is not there`);
    budget.letters += own.length;
    if (budget.letters > MOST_LETTERS) throw new MalformedFile(`The text has more than ${MOST_LETTERS >> 20} MB`);
    for (const raw of withoutComments(own).split(/\r\n|\r|\n/)) {
      if (raw.length > MOST_OF_LINE) throw new MalformedFile(`"${path}" has a line of ${raw.length} letters`);
      const [, included] = /^\s*#include\s+"([^"]*)"/.exec(raw) ?? [];
      if (included !== undefined) {
        const found = pathIn(folder, filledIn(included));
        if (found === null) throw new MalformedFile(`"${included}" lies outside of the folder`);
        read(found, depth + 1);
        continue;
      }
      const [, name, value] = /^\s*#define\s+(\$\w+)\s+(\S+)/.exec(raw) ?? [];
      if (name !== undefined && value !== undefined) {
        if (value.length > MOST_OF_VALUE) throw new MalformedFile(`"${name.slice(0, 60)}" stands for too long a text`);
        defined.set(name, value);
        continue;
      }
      const filled = filledIn(raw);
      budget.letters += filled.length - raw.length;
      if (budget.letters > MOST_LETTERS)
        throw new MalformedFile(`Filled in, the text has more than ${MOST_LETTERS >> 20} MB`);
      line(filled);
    }
  };

  /** Headers and opcodes; a value goes on to the next opcode or header, so that it may hold spaces. */
  const line = (content: string): void => {
    const found = tokensOf(content);
    for (const [i, { header, name, behind }] of found.entries()) {
      if (++budget.opcodes > MOST_OPCODES) throw new MalformedFile(`There are more than ${MOST_OPCODES} opcodes`);
      if (header !== null) sections.push({ header, opcodes: [] });
      else sections.at(-1)?.opcodes.push([name, content.slice(behind, found[i + 1]?.at ?? content.length).trim()]);
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

/** A header, or the name of an opcode: where it begins, and what stands behind it. */
interface Token {
  readonly at: number;
  readonly behind: number;
  readonly header: string | null;
  readonly name: string;
}

/** Goes forward once: the time it takes grows with the line. An opcode's name follows a space or a header. */
function tokensOf(content: string): readonly Token[] {
  const found: Token[] = [];
  for (const match of content.matchAll(/<(\w{1,64})>|=/g)) {
    const [all, header] = match;
    if (header !== undefined) {
      found.push({ at: match.index, behind: match.index + all.length, header: header.toLowerCase(), name: "" });
      continue;
    }
    let at = match.index;
    while (at > 0 && match.index - at < MOST_OF_NAME && /\w/.test(content[at - 1] ?? "")) at--;
    const name = content.slice(at, match.index);
    // Within a value, as in the name of a file.
    if (!/^[A-Za-z_]/.test(name) || (at > 0 && !/[\s>]/.test(content[at - 1] ?? ""))) continue;
    found.push({ at, behind: match.index + 1, header: null, name: name.toLowerCase() });
  }
  return found;
}

/** Comments between slashes and stars keep their line ends; one that is not closed is none. */
function withoutComments(text: string): string {
  const parts: string[] = [];
  let from = 0;
  for (let open = text.indexOf("/*"); open >= 0; open = text.indexOf("/*", from)) {
    const close = text.indexOf("*/", open + 2);
    if (close < 0) break;
    parts.push(text.slice(from, open), text.slice(open, close).replace(/[^\n]/g, ""));
    from = close + 2;
  }
  return [...parts, text.slice(from)].join("").replace(/\/\/[^\n\r]*/g, "");
}
