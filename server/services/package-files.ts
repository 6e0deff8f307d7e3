import type { Served } from "./served";
import { wholeFile } from "./served";
import { notFound } from "../fault";
import { openPackage } from "../packages/read";

interface Place {
  readonly start: number;
  readonly size: number;
}

/** Where the files of packages lie in them. Packages never change; those asked for last are remembered. */
const places = new Map<string, ReadonlyMap<string, Place>>();
const MOST_REMEMBERED = 50;

/** A package, or one audio file or paper of it by its name, as bytes to be sent. Throws where there is none. */
export async function fileOfPackage(path: string, name: string | null): Promise<Served> {
  const whole = await wholeFile(path);
  if (name === null) return whole;
  const place = (await placesIn(path)).get(name);
  if (!place) throw notFound("such file in this package");
  return { path, ...place };
}

async function placesIn(path: string): Promise<ReadonlyMap<string, Place>> {
  const known = places.get(path);
  if (known) return known;
  const opened = await openPackage(path);
  const found = new Map([...opened.entries].map(([name, { start, source }]) => [name, { start, size: source.size }]));
  opened.close();
  places.set(path, found);
  const [oldest] = places.keys();
  if (places.size > MOST_REMEMBERED && oldest !== undefined) places.delete(oldest);
  return found;
}
