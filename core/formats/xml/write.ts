import { xmlText } from "./text";

/** An element as text. Attributes that are null are left out; line ends and tabs in them stay what they are. */
export function element(
  name: string,
  attributes: Readonly<Record<string, string | number | boolean | null>>,
  children: readonly string[] = [],
): string {
  const said = Object.entries(attributes)
    .filter(([, value]) => value !== null)
    .map(([key, value]) => ` ${key}="${attributeText(String(value))}"`)
    .join("");
  return children.length === 0 ? `<${name}${said}/>` : `<${name}${said}>${children.join("")}</${name}>`;
}

/** Readers turn white space in attributes into spaces unless it is written as a reference. XML 1.0, 3.3.3. */
const attributeText = (text: string): string => xmlText(text).replace(/[\t\n\r]/g, (c) => `&#${c.charCodeAt(0)};`);
