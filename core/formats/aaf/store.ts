import type { ByteSource } from "../bytes/bytes";
import { MalformedFile, bytesAt } from "../bytes/bytes";
import type { CompoundStorage } from "../compound/read";
import { openCompound } from "../compound/read";
import type { Auid } from "./auid";
import { auidOf } from "./auid";
import { FORM, LITTLE_ENDIAN } from "./objects";

/** Longest text that is read whole. */
const LONGEST_TEXT = 64 << 10;
const MOST_IN_A_LIST = 1_000_000;

/** An object of an opened file: its class, and its properties by number. */
export class StoredObject {
  private readonly properties: ReadonlyMap<number, { readonly form: number; readonly data: Uint8Array }>;

  constructor(
    private readonly storage: CompoundStorage,
    private readonly where: string,
  ) {
    const stream = storage.stream("properties");
    if (!stream) throw new MalformedFile(`${where} has no properties`);
    this.properties = propertiesIn(bytesAt(stream, 0, stream.size), where);
  }

  get classId(): Auid {
    return auidOf(this.storage.classId);
  }

  has(pid: number): boolean {
    return this.properties.has(pid);
  }

  data(pid: number): Uint8Array | null {
    const property = this.properties.get(pid);
    return property && property.form === FORM.data ? property.data : null;
  }

  text(pid: number): string | null {
    const data = this.data(pid);
    return data ? textIn(data) : null;
  }

  uint32(pid: number): number | null {
    return this.number(pid, 4, (v) => v.getUint32(0, true));
  }

  uint16(pid: number): number | null {
    return this.number(pid, 2, (v) => v.getUint16(0, true));
  }

  uint8(pid: number): number | null {
    return this.number(pid, 1, (v) => v.getUint8(0));
  }

  /** A length or a place. Throws `MalformedFile` where it is beyond what numbers can say exactly. */
  int64(pid: number): number | null {
    return this.number(pid, 8, (v) => {
      const value = Number(v.getBigInt64(0, true));
      if (!Number.isSafeInteger(value)) throw new MalformedFile(`A place in ${this.where} is out of reach`);
      return value;
    });
  }

  /** A fraction of two numbers; null also where its lower one is 0. */
  rational(pid: number): { readonly numerator: number; readonly denominator: number } | null {
    const data = this.data(pid);
    return data && data.length >= 8 ? rationalIn(data) : null;
  }

  auid(pid: number): Auid | null {
    const data = this.data(pid);
    return data && data.length >= 16 ? auidOf(data.subarray(0, 16)) : null;
  }

  /** The identifier of an object that stands elsewhere. */
  named(pid: number): Auid | null {
    const property = this.properties.get(pid);
    if (property?.form !== FORM.weak || property.data.length < 21) return null;
    return auidOf(property.data.subarray(5, 21));
  }

  object(pid: number): StoredObject | null {
    const property = this.properties.get(pid);
    if (property?.form !== FORM.object) return null;
    const name = textIn(property.data);
    const storage = this.storage.storage(name);
    if (!storage) throw new MalformedFile(`${this.where} names "${name}", which is not there`);
    return new StoredObject(storage, `${this.where}/${name}`);
  }

  /** The objects of a list, in its order; of a set in the order they are kept in. */
  *list(pid: number): Generator<StoredObject> {
    const property = this.properties.get(pid);
    if (property?.form !== FORM.vector && property?.form !== FORM.set) return;
    const name = textIn(property.data);
    const stream = this.storage.stream(`${name} index`);
    if (!stream) throw new MalformedFile(`${this.where} has a list "${name}" without its index`);
    const index = bytesAt(stream, 0, stream.size);
    const view = new DataView(index.buffer);
    if (index.length < 12) throw new MalformedFile(`The index of "${name}" in ${this.where} is too short`);
    const count = view.getUint32(0, true);
    const isSet = property.form === FORM.set;
    const head = isSet ? 15 : 12;
    const each = isSet ? 8 + (index[14] ?? 0) : 4;
    if (count > MOST_IN_A_LIST || head + count * each > index.length)
      throw new MalformedFile(`The index of "${name}" in ${this.where} says ${count} and holds fewer`);
    for (let i = 0; i < count; i++) {
      const key = view.getUint32(head + i * each, true).toString(16);
      const storage = this.storage.storage(`${name}{${key}}`);
      if (!storage) throw new MalformedFile(`${this.where} names "${name}{${key}}", which is not there`);
      yield new StoredObject(storage, `${this.where}/${name}{${key}}`);
    }
  }

  stream(pid: number): ByteSource | null {
    const property = this.properties.get(pid);
    if (property?.form !== FORM.stream) return null;
    const name = textIn(property.data.subarray(1));
    const stream = this.storage.stream(name);
    if (!stream) throw new MalformedFile(`${this.where} names the stream "${name}", which is not there`);
    return stream;
  }

  /** A value of a type that stands beside it, as a number; null for what is none. */
  indirectNumber(pid: number): number | null {
    const data = this.data(pid);
    if (!data || data.length < 18 || data[0] !== LITTLE_ENDIAN) return null;
    const value = data.subarray(17);
    const view = new DataView(value.buffer, value.byteOffset, value.length);
    switch (auidOf(data.subarray(1, 17))) {
      case "03010100-0000-0000-060e-2b3401040101": {
        const fraction = value.length >= 8 ? rationalIn(value) : null;
        return fraction && fraction.numerator / fraction.denominator;
      }
      case "01010700-0000-0000-060e-2b3401040101":
        return value.length >= 4 ? view.getInt32(0, true) : null;
      case "01010300-0000-0000-060e-2b3401040101":
        return value.length >= 4 ? view.getUint32(0, true) : null;
      default:
        return null;
    }
  }

  /** A text of a type that stands beside it. */
  indirectText(pid: number): string | null {
    const data = this.data(pid);
    if (!data || data.length < 17) return null;
    return auidOf(data.subarray(1, 17)) === "01100200-0000-0000-060e-2b3401040101" ? textIn(data.subarray(17)) : null;
  }

  private number(pid: number, bytes: number, read: (view: DataView) => number): number | null {
    const data = this.data(pid);
    if (!data || data.length < bytes) return null;
    return read(new DataView(data.buffer, data.byteOffset, data.length));
  }
}

/** The topmost objects of a file. Throws `MalformedFile`. AAF low-level container specification. */
export function openAaf(source: ByteSource): StoredObject {
  const storage = openCompound(source);
  if (!storage.stream("properties")) throw new MalformedFile("This compound file holds no AAF");
  return new StoredObject(storage, "the file");
}

function propertiesIn(bytes: Uint8Array, where: string) {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  if (bytes.length < 4) throw new MalformedFile(`The properties of ${where} are cut off`);
  if (view.getUint8(0) !== LITTLE_ENDIAN)
    throw new MalformedFile(`The properties of ${where} have another order of bytes than is read here`);
  const count = view.getUint16(2, true);
  let at = 4 + 6 * count;
  if (at > bytes.length)
    throw new MalformedFile(`${where} is said to have ${count} properties and is too short for them`);
  const properties = new Map<number, { readonly form: number; readonly data: Uint8Array }>();
  for (let i = 0; i < count; i++) {
    const [pid, form, length] = [4, 6, 8].map((o) => view.getUint16(o + 6 * i, true)) as [number, number, number];
    if (at + length > bytes.length) throw new MalformedFile(`A property of ${where} is cut off`);
    properties.set(pid, { form, data: bytes.subarray(at, at + length) });
    at += length;
  }
  return properties;
}

function textIn(data: Uint8Array): string {
  const view = new DataView(data.buffer, data.byteOffset, data.length);
  const parts: string[] = [];
  for (let i = 0; i + 1 < data.length && i < LONGEST_TEXT; i += 2) {
    const unit = view.getUint16(i, true);
    if (unit === 0) break;
    parts.push(String.fromCharCode(unit));
  }
  return parts.join("");
}

function rationalIn(data: Uint8Array): { readonly numerator: number; readonly denominator: number } | null {
  const view = new DataView(data.buffer, data.byteOffset, data.length);
  const [numerator, denominator] = [view.getInt32(0, true), view.getInt32(4, true)];
  return denominator === 0 ? null : { numerator, denominator };
}
