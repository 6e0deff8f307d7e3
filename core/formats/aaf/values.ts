import type { Auid } from "./auid";
import { auidBytes } from "./auid";
import { types } from "./model";
import type { AafObject, MadeWhenWritten, Value } from "./objects";
import { utf16 } from "./objects";

const filled = (bytes: number, fill: (view: DataView) => void): Uint8Array => {
  const made = new Uint8Array(bytes);
  fill(new DataView(made.buffer));
  return made;
};

export const uint8 = (n: number): Uint8Array => Uint8Array.of(n);
export const bool = (b: boolean): Uint8Array => Uint8Array.of(b ? 1 : 0);
export const uint16 = (n: number): Uint8Array => filled(2, (v) => v.setUint16(0, n, true));
export const int16 = (n: number): Uint8Array => filled(2, (v) => v.setInt16(0, n, true));
export const uint32 = (n: number): Uint8Array => filled(4, (v) => v.setUint32(0, n, true));
export const int64 = (n: number): Uint8Array => filled(8, (v) => v.setBigInt64(0, BigInt(n), true));
export const auid = (id: Auid): Uint8Array => auidBytes(id);
export const text = (s: string): Uint8Array => utf16(s.replaceAll("\0", ""));
export const rational = (numerator: number, denominator: number): Uint8Array =>
  filled(8, (v) => {
    v.setInt32(0, numerator, true);
    v.setInt32(4, denominator, true);
  });

/** A value of a type that stands beside it. AAF Object Specification, Indirect. */
export const indirect = (type: string, value: Uint8Array): Uint8Array => {
  const id = types[type]?.id;
  if (id === undefined) throw new RangeError(`there is no type ${type}`);
  return Uint8Array.of(0x4c, ...auidBytes(id), ...value);
};

/** Year to hundredths of a second, in UTC. */
export const timeStamp = (date: Date): Uint8Array =>
  filled(8, (v) => {
    v.setInt16(0, date.getUTCFullYear(), true);
    v.setUint8(2, date.getUTCMonth() + 1);
    v.setUint8(3, date.getUTCDate());
    v.setUint8(4, date.getUTCHours());
    v.setUint8(5, date.getUTCMinutes());
    v.setUint8(6, date.getUTCSeconds());
    v.setUint8(7, Math.floor(date.getUTCMilliseconds() / 10));
  });

const GREATEST = 0x7fffffff;

/** The fraction of two 32-bit numbers that is closest to a value of 0 to 2^31, with the largest denominator. */
export function closestRational(value: number): Uint8Array {
  if (Number.isInteger(value) && Math.abs(value) <= GREATEST) return rational(value, 1);
  const denominator = Math.max(1, Math.min(GREATEST, Math.floor(GREATEST / Math.max(1, Math.abs(value)))));
  return rational(Math.round(value * denominator), denominator);
}

export const object = (of: string, values: AafObject["values"]): AafObject => ({ of, values });
export const one = (o: AafObject): Value => ({ object: o });
export const list = (objects: readonly (AafObject | MadeWhenWritten)[]): Value => ({ objects });
export const named = (id: Auid): Value => ({ names: auidBytes(id) });
