import isEqual from "fast-deep-equal";
import type { Session, Track } from "./document";
import type { Edit } from "./apply";
import { MOST_EDITS } from "./apply";
import type { CollectionName, ListName, SessionPatch } from "./records";
import { OF_TRACK, valueLists } from "./collections";
import { difference, isInOrder } from "./values";

/** A record, as an edit speaks of it. */
type Item = Readonly<Record<string, unknown>> & { readonly id: string };

interface Place {
  readonly in: CollectionName;
  readonly track?: string;
}

const FIELDS = ["name", "leadIn", "tempo", "meter"] as const satisfies readonly (keyof SessionPatch)[];
const OF_SESSION = ["assets", "instruments", "phrases", "markers", "ranges", "tracks"] as const;
/** A collection of a track that would take more edits than this is set as a whole. */
const MOST_OF_A_LIST = 500;

/**
 * The edits that make one session out of another, as few as may be: of every record only the fields that differ, of
 * notes and points only those that go and come. Their number depends on how far the two are apart, not on what was done
 * between them. The two are versions of one session: what no edit changes (the rate) is the same in both. Null where a
 * step cannot hold so many.
 */
export function editsBetween(from: Session, to: Session): readonly Edit[] | null {
  const session = changed(from, to, FIELDS);
  const sheet = changed(
    from.sheet,
    to.sheet,
    Object.keys(to.sheet).filter((field) => field !== "rows"),
  );
  const edits: Edit[] = [
    ...(session ? [{ do: "set session", patch: session } as Edit] : []),
    ...(sheet ? [{ do: "set sheet", patch: sheet } as Edit] : []),
    ...betweenLists({ in: "rows" }, from.sheet.rows, to.sheet.rows),
  ];
  for (const name of OF_SESSION) append(edits, betweenLists({ in: name }, itemsOf(from[name]), itemsOf(to[name])));
  const before = new Map(from.tracks.map((t) => [t.id, t]));
  for (const track of to.tracks) {
    const was = before.get(track.id);
    // One that is new came with all that is in it.
    if (was && was !== track) append(edits, withinTrack(was, track));
  }
  return edits.length > MOST_EDITS ? null : edits;
}

function withinTrack(from: Track, to: Track): readonly Edit[] {
  return OF_TRACK.flatMap((name): readonly Edit[] => {
    if (from[name] === to[name]) return [];
    const edits = betweenLists({ in: name, track: to.id }, itemsOf(from[name]), itemsOf(to[name]));
    return edits.length > MOST_OF_A_LIST
      ? [{ do: "set", in: "tracks", id: to.id, patch: { [name]: to[name] } }]
      : edits;
  });
}

/** What makes one list of records another: those that go, those that change, and those that come or move. */
function betweenLists(place: Place, from: readonly Item[], to: readonly Item[]): readonly Edit[] {
  if (from === to) return [];
  const before = new Map(from.map((item) => [item.id, item]));
  const after = new Map(to.map((item) => [item.id, item]));
  // What is another kind of clip by now cannot be changed into it.
  const stays = (item: Item): boolean => {
    const [was, is] = [before.get(item.id), after.get(item.id)];
    return was !== undefined && is !== undefined && (place.in !== "clips" || was["kind"] === is["kind"]);
  };
  const edits = from.flatMap((item) => (stays(item) ? [] : [{ do: "remove", id: item.id, ...place } as Edit]));
  for (const item of to) if (stays(item)) append(edits, withinRecord(place, before.get(item.id) as Item, item));
  const order = from.filter(stays).map((item) => item.id);
  to.forEach((item, index) => {
    if (order[index] === item.id) return;
    if (!stays(item)) {
      order.splice(index, 0, item.id);
      edits.push({ do: "add", item, index, ...place } as unknown as Edit);
      return;
    }
    order.splice(order.indexOf(item.id, index), 1);
    order.splice(index, 0, item.id);
    edits.push({ do: "move", id: item.id, index, ...place } as Edit);
  });
  return edits;
}

/** What changes the fields of a record; those of a track that are collections are looked at by themselves. */
function withinRecord(place: Place, from: Item, to: Item): readonly Edit[] {
  if (from === to) return [];
  const own = place.in === "phrases" || place.in === "automation" ? valueLists[place.in].field : null;
  const apart: readonly string[] = place.in === "tracks" ? OF_TRACK : own === null ? [] : [own];
  const patch = changed(
    from,
    to,
    Object.keys(to).filter((field) => !apart.includes(field)),
  );
  const edits: Edit[] = [];
  if (patch) {
    if (place.in === "devices" && "params" in patch) patch["params"] = changedParams(from, to);
    edits.push({ do: "set", id: to.id, patch, ...place } as Edit);
  }
  if (own !== null) append(edits, betweenValues(place, own, from, to));
  return edits;
}

/** Notes or points. In an order that is not theirs they are set as a whole. */
function betweenValues(place: Place, field: string, from: Item, to: Item): readonly Edit[] {
  type Values = Parameters<typeof difference<ListName>>[0];
  const [was, is] = [from[field], to[field]] as readonly [Values, Values];
  if (isEqual(was, is)) return [];
  if (!isInOrder(was) || !isInOrder(is)) return [{ do: "set", id: to.id, patch: { [field]: is }, ...place } as Edit];
  return [{ do: "replace", id: to.id, ...difference(was, is), ...place } as Edit];
}

/** Parameters that differ; null: the default again. */
function changedParams(from: Item, to: Item): Readonly<Record<string, unknown>> {
  const [was, is] = [from["params"], to["params"]] as readonly Readonly<Record<string, unknown>>[];
  const ids = new Set([...Object.keys(was ?? {}), ...Object.keys(is ?? {})]);
  return Object.fromEntries([...ids].filter((id) => was?.[id] !== is?.[id]).map((id) => [id, is?.[id] ?? null]));
}

/** The fields that are others in the second; null where all are the same. */
function changed(from: object, to: object, fields: readonly string[]): Record<string, unknown> | null {
  const [was, is] = [from, to] as readonly Record<string, unknown>[];
  const others = fields.filter((field) => !isEqual(was?.[field], is?.[field]));
  return others.length === 0 ? null : Object.fromEntries(others.map((field) => [field, is?.[field]]));
}

const itemsOf = (list: readonly { readonly id: string }[]): readonly Item[] => list as readonly Item[];

function append(edits: Edit[], more: readonly Edit[]): void {
  for (const edit of more) edits.push(edit);
}
