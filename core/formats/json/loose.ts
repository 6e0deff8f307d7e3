import { MalformedFile } from "../bytes/bytes";

/** An object of JSON of which nothing is known yet. */
export type Loose = { readonly [key: string]: unknown };

export const isLoose = (value: unknown): value is Loose =>
  typeof value === "object" && value !== null && !Array.isArray(value);
export const looseIn = (value: unknown): Loose => (isLoose(value) ? value : {});
export const listIn = (value: unknown): readonly unknown[] => (Array.isArray(value) ? (value as unknown[]) : []);
export const textIn = (value: unknown, otherwise = ""): string => (typeof value === "string" ? value : otherwise);
export const numberIn = (value: unknown, otherwise = 0): number =>
  typeof value === "number" && Number.isFinite(value) ? value : otherwise;

/** JSON from outside. Throws `MalformedFile` where it is none, or is nested so deep that nothing can follow it. */
export function parseLoose(text: string, what: string): Loose {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    const where = /position (\d+)/.exec(error instanceof Error ? error.message : "")?.[1];
    throw new MalformedFile(`${what} is not JSON`, where === undefined ? null : Number(where));
  }
  if (!isLoose(value)) throw new MalformedFile(`${what} holds no object`);
  return value;
}
