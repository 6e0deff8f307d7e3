import { SaxesParser } from "saxes";
import { MalformedFile } from "../bytes/bytes";

/** An element of an XML document, with what stands in it. */
export interface XmlElement {
  readonly name: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: readonly XmlElement[];
  readonly text: string;
}

const DEEPEST = 64;
const MOST_ELEMENTS = 2_000_000;

/**
 * Reads an XML document as a tree. Entities beyond the five of XML itself are not known and nothing outside is fetched.
 * Throws `MalformedFile` with the character. XML 1.0.
 */
export function parseXml(text: string): XmlElement {
  const parser = new SaxesParser();
  interface Open extends XmlElement {
    readonly attributes: Record<string, string>;
    readonly children: XmlElement[];
    text: string;
  }
  const open: Open[] = [];
  let root: XmlElement | null = null;
  let count = 0;
  parser.on("error", (error) => {
    throw new MalformedFile(`The XML cannot be read: ${error.message.replace(/^\d+:\d+: /, "")}`, parser.position);
  });
  parser.on("opentag", ({ name, attributes }) => {
    if (++count > MOST_ELEMENTS) throw new MalformedFile(`The XML has more than ${MOST_ELEMENTS} elements`);
    if (open.length >= DEEPEST) throw new MalformedFile(`The XML is nested more than ${DEEPEST} deep`, parser.position);
    const element: Open = { name, attributes, children: [], text: "" };
    open.at(-1)?.children.push(element);
    root ??= element;
    open.push(element);
  });
  parser.on("text", (more) => {
    const here = open.at(-1);
    if (here) here.text += more;
  });
  parser.on("closetag", () => void open.pop());
  parser.write(text).close();
  if (!root) throw new MalformedFile("The XML has no element");
  return root;
}

export const childOf = (element: XmlElement | undefined, name: string): XmlElement | undefined =>
  element?.children.find((c) => c.name === name);
export const childrenOf = (element: XmlElement | undefined, name: string): readonly XmlElement[] =>
  element?.children.filter((c) => c.name === name) ?? [];

/** A number in an attribute; `otherwise` where there is none. Throws `MalformedFile` where it is no number. */
export function numberOf({ name, attributes }: XmlElement, attribute: string, otherwise: number): number {
  const text = attributes[attribute];
  if (text === undefined) return otherwise;
  const value = Number(text);
  if (text.trim() === "" || !Number.isFinite(value))
    throw new MalformedFile(`${attribute}="${text.slice(0, 40)}" of ${name} is not a number`);
  return value;
}
