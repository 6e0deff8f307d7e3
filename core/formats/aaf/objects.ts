import type { ByteSink } from "../bytes/bytes";
import type { CompoundWriter, Entry, Reserved } from "../compound/write";
import { MINI_CUTOFF } from "../compound/facts";
import { auidBytes } from "./auid";
import type { PropertyModel, TypeModel } from "./model";
import { classes, types } from "./model";

/** An object of a class, with what is set on it. */
export interface AafObject {
  readonly of: string;
  readonly values: Readonly<Record<string, Value | undefined>>;
}

/** What a property can hold: bytes of its own, objects, names of objects that stand elsewhere, or a stream. */
export type Value =
  | Uint8Array
  | { readonly object: AafObject }
  | { readonly objects: readonly (AafObject | MadeWhenWritten)[] }
  | { readonly names: Uint8Array }
  | { readonly namesAll: readonly Uint8Array[] }
  | { readonly stream: { readonly bytes: number; write(to: ByteSink["write"]): void } }
  | { readonly reserved: Reserved };

/** An object that stands in memory only while it is written: of thousands of clips that is what counts. */
export type MadeWhenWritten = () => AafObject;

const made = (object: AafObject | MadeWhenWritten): AafObject => (typeof object === "function" ? object() : object);

/** Forms in which properties are stored. AAF low-level container specification, stored forms. */
export const FORM = {
  data: 0x82,
  stream: 0x42,
  object: 0x22,
  vector: 0x32,
  set: 0x3a,
  weak: 0x02,
  weakVector: 0x12,
  weakSet: 0x1a,
} as const;
export const LITTLE_ENDIAN = 0x4c;
const VERSION = 0x20;
/** A stream's bytes have no order. */
const NO_ORDER = 0x55;
const LAST_KEY = 0xffffffff;
/** Properties of the root, which has no class of its own. */
export const ROOT_ID = "b3b398a5-1c90-11d4-8053-080036210804";
const ROOT_PROPERTIES: readonly PropertyModel[] = [
  {
    name: "MetaDictionary",
    id: "0d010301-0101-0100-060e-2b3401010102",
    pid: 0x0001,
    type: "MetaDictionaryStrongReference",
    optional: false,
    unique: false,
  },
  {
    name: "Header",
    id: "0d010301-0102-0100-060e-2b3401010102",
    pid: 0x0002,
    type: "HeaderStrongReference",
    optional: false,
    unique: false,
  },
];

const byProperty = new Map(
  [...ROOT_PROPERTIES, ...Object.values(classes).flatMap((c) => c.properties)].map((p) => [p.id, p]),
);

/** The properties of a class and of those above it, by name. */
const propertiesOf = (() => {
  const known = new Map<string, ReadonlyMap<string, PropertyModel>>();
  return (name: string): ReadonlyMap<string, PropertyModel> => {
    const found = known.get(name);
    if (found) return found;
    const own = classes[name];
    if (!own) throw new RangeError(`there is no class ${name}`);
    const above = own.parent === null ? [] : [...propertiesOf(own.parent)];
    const made = new Map([...above, ...own.properties.map((p) => [p.name, p] as const)]);
    known.set(name, made);
    return made;
  };
})();

/** The property that tells objects of a class apart. */
function keyOf(name: string): PropertyModel {
  for (const property of propertiesOf(name).values()) if (property.unique) return property;
  throw new RangeError(`objects of class ${name} are not told apart`);
}

/** Writes a tree of objects into a compound file: a storage an object, a stream of properties in each. */
export class ObjectWriter {
  /** Ways from the root to where weak references lead, each by its number. */
  private readonly paths: (readonly number[])[] = [];

  constructor(private readonly file: CompoundWriter) {}

  write(root: { readonly MetaDictionary: AafObject; readonly Header: AafObject }): void {
    const { file } = this;
    const entries = ROOT_PROPERTIES.map((p) => {
      const name = mangled(p.name, p.pid, 31);
      this.put(
        file.storage(file.root, name, auidBytes(idOf(root[p.name as keyof typeof root]))),
        root[p.name as keyof typeof root],
      );
      return { pid: p.pid, form: FORM.object, data: utf16(name) };
    });
    file.stream(file.root, "properties", propertyStream(entries));
    file.stream(file.root, "referenced properties", this.pathTable());
  }

  private put(at: Entry, object: AafObject): void {
    const properties = propertiesOf(object.of);
    const entries = Object.entries(object.values).flatMap(([name, value]) => {
      if (value === undefined) return [];
      const property = properties.get(name);
      if (!property) throw new RangeError(`${object.of} has no property ${name}`);
      return [{ pid: property.pid, ...this.stored(at, property, value) }];
    });
    this.file.stream(at, "properties", propertyStream(entries.sort((a, b) => a.pid - b.pid)));
  }

  private stored(
    at: Entry,
    property: PropertyModel,
    value: Value,
  ): { readonly form: number; readonly data: Uint8Array } {
    const { file } = this;
    if (value instanceof Uint8Array) return { form: FORM.data, data: value };
    const type = types[property.type] as TypeModel;
    if ("object" in value) {
      const name = mangled(property.name, property.pid, 31);
      this.put(file.storage(at, name, auidBytes(idOf(value.object))), value.object);
      return { form: FORM.object, data: utf16(name) };
    }
    if ("stream" in value) {
      const name = mangled(property.name, property.pid, 31);
      this.putStream(at, name, value.stream);
      return { form: FORM.stream, data: Uint8Array.of(NO_ORDER, ...utf16(name)) };
    }
    if ("reserved" in value) {
      const name = mangled(property.name, property.pid, 31);
      file.reserved(at, name, value.reserved);
      return { form: FORM.stream, data: Uint8Array.of(NO_ORDER, ...utf16(name)) };
    }
    if ("names" in value) return { form: FORM.weak, data: this.weak(type, value.names) };
    const name = mangled(property.name, property.pid, 21);
    if ("namesAll" in value) {
      if (type.kind !== "array" && type.kind !== "set") throw new RangeError(`${property.name} holds no list`);
      const { index, keyPid, keyBytes } = this.target(types[type.of] as TypeModel);
      const list = new Uint8Array(9 + value.namesAll.length * keyBytes);
      const view = new DataView(list.buffer);
      view.setUint32(0, value.namesAll.length, true);
      view.setUint16(4, index, true);
      view.setUint16(6, keyPid, true);
      view.setUint8(8, keyBytes);
      value.namesAll.forEach((n, i) => list.set(n, 9 + i * keyBytes));
      file.stream(at, `${name} index`, list);
      return { form: type.kind === "array" ? FORM.weakVector : FORM.weakSet, data: utf16(name) };
    }
    const put = (object: AafObject, i: number) =>
      this.put(file.storage(at, `${name}{${i.toString(16)}}`, auidBytes(idOf(object))), object);
    if (type.kind === "set") {
      const objects = value.objects.map(made);
      objects.forEach(put);
      file.stream(at, `${name} index`, setIndex(objects));
      return { form: FORM.set, data: utf16(name) };
    }
    value.objects.forEach((object, i) => put(made(object), i));
    const list = new Uint8Array(12 + 4 * value.objects.length);
    const view = new DataView(list.buffer);
    [value.objects.length, value.objects.length, LAST_KEY].forEach((n, i) => view.setUint32(4 * i, n, true));
    value.objects.forEach((_, i) => view.setUint32(12 + 4 * i, i, true));
    file.stream(at, `${name} index`, list);
    return { form: FORM.vector, data: utf16(name) };
  }

  private putStream(
    at: Entry,
    name: string,
    { bytes, write }: { readonly bytes: number; write(to: ByteSink["write"]): void },
  ) {
    if (bytes >= MINI_CUTOFF) {
      const stream = this.file.largeStream(at, name);
      write((part) => stream.write(part));
      stream.end();
      return;
    }
    const whole = new Uint8Array(bytes);
    let done = 0;
    write((part) => {
      whole.set(part, done);
      done += part.length;
    });
    this.file.stream(at, name, whole);
  }

  private weak(type: TypeModel, key: Uint8Array): Uint8Array {
    const { index, keyPid, keyBytes } = this.target(type);
    if (key.length !== keyBytes) throw new RangeError(`a name of ${keyBytes} bytes has ${key.length}`);
    const data = new Uint8Array(5 + keyBytes);
    const view = new DataView(data.buffer);
    view.setUint16(0, index, true);
    view.setUint16(2, keyPid, true);
    view.setUint8(4, keyBytes);
    data.set(key, 5);
    return data;
  }

  private target(type: TypeModel): { readonly index: number; readonly keyPid: number; readonly keyBytes: number } {
    if (type.kind !== "weak reference") throw new RangeError("this type leads nowhere");
    const path = type.path.map((id) => byProperty.get(id)?.pid ?? 0);
    let index = this.paths.findIndex((p) => p.join() === path.join());
    if (index < 0) index = this.paths.push(path) - 1;
    const key = keyOf(type.to);
    return { index, keyPid: key.pid, keyBytes: key.type === "MobIDType" ? 32 : 16 };
  }

  private pathTable(): Uint8Array {
    const numbers = this.paths.flatMap((path) => [...path, 0]);
    const bytes = new Uint8Array(7 + 2 * numbers.length);
    const view = new DataView(bytes.buffer);
    view.setUint8(0, LITTLE_ENDIAN);
    view.setUint16(1, this.paths.length, true);
    view.setUint32(3, numbers.length, true);
    numbers.forEach((n, i) => view.setUint16(7 + 2 * i, n, true));
    return bytes;
  }
}

const idOf = (object: AafObject): string => {
  const model = classes[object.of];
  if (!model) throw new RangeError(`there is no class ${object.of}`);
  return model.id;
};

function setIndex(objects: readonly AafObject[]): Uint8Array {
  const [first] = objects;
  const key = first ? keyOf(first.of) : null;
  const keyBytes = key?.type === "MobIDType" ? 32 : 16;
  const bytes = new Uint8Array(15 + objects.length * (8 + keyBytes));
  const view = new DataView(bytes.buffer);
  [objects.length, objects.length, LAST_KEY].forEach((n, i) => view.setUint32(4 * i, n, true));
  view.setUint16(12, key?.pid ?? 0, true);
  view.setUint8(14, keyBytes);
  objects.forEach((object, i) => {
    const at = 15 + i * (8 + keyBytes);
    const name = object.values[key?.name ?? ""];
    if (!(name instanceof Uint8Array))
      throw new RangeError(`an object of class ${object.of} has no ${key?.name ?? "name"}`);
    view.setUint32(at, i, true);
    // How often it is referred to; one always, as others write it.
    view.setUint32(at + 4, 1, true);
    bytes.set(name, at + 8);
  });
  return bytes;
}

function propertyStream(
  entries: readonly { readonly pid: number; readonly form: number; readonly data: Uint8Array }[],
): Uint8Array {
  const bytes = new Uint8Array(4 + entries.reduce((n, e) => n + 6 + e.data.length, 0));
  const view = new DataView(bytes.buffer);
  view.setUint8(0, LITTLE_ENDIAN);
  view.setUint8(1, VERSION);
  view.setUint16(2, entries.length, true);
  let data = 4 + 6 * entries.length;
  entries.forEach((e, i) => {
    if (e.data.length > 0xffff) throw new RangeError(`a property of ${e.data.length} bytes is too long`);
    view.setUint16(4 + 6 * i, e.pid, true);
    view.setUint16(6 + 6 * i, e.form, true);
    view.setUint16(8 + 6 * i, e.data.length, true);
    bytes.set(e.data, data);
    data += e.data.length;
  });
  return bytes;
}

/** A property's name with its number behind, no longer than a directory takes: one string, however often it is used. */
export const mangled = (() => {
  const known = new Map<string, string>();
  return (name: string, pid: number, longest: number): string => {
    const key = `${name} ${pid} ${longest}`;
    let made = known.get(key);
    if (made === undefined) {
      const number = `-${pid.toString(16)}`;
      known.set(key, (made = `${name.slice(0, longest - number.length)}${number}`));
    }
    return made;
  };
})();

/** Text with the zero it ends with. */
export function utf16(text: string): Uint8Array {
  const bytes = new Uint8Array(2 * text.length + 2);
  const view = new DataView(bytes.buffer);
  for (let i = 0; i < text.length; i++) view.setUint16(2 * i, text.charCodeAt(i), true);
  return bytes;
}
