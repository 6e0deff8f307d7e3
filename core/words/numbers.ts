import type { Db } from "../units";

/** With a real minus sign and no needless digits behind the point. */
export const formatNumber = (value: number, digits: number): string => {
  const text = value.toFixed(digits);
  return (Number(text) === 0 ? text.replace("-", "") : text).replace("-", "−");
};

/** A level as it is shown everywhere: to a tenth, and nothing at all where it is at the bottom of its travel. */
export const formatDb = (db: Db, floor: Db = -144): string => (db <= floor ? "−∞" : formatNumber(db, 1));

/** A level as hands set it: to a tenth. */
export const roundDb = (db: Db): Db => Math.round(db * 10) / 10;
