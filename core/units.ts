/**
 * Named units. Each is a plain number that carries its unit in the type, so handing frames
 * to something that wants ticks does not compile; arithmetic yields a plain number again.
 */
type Unit<Name extends string> = number & { readonly __unit?: Name };

/** Musical time, 960 to a quarter note, from the timeline's zero. */
export type Ticks = Unit<"ticks">;
/** Sample time at the session's rate, from the timeline's zero. */
export type Frames = Unit<"frames">;
export type Seconds = Unit<"seconds">;
/** Level relative to full scale or to unity, in decibels. */
export type Db = Unit<"db">;
export type Hertz = Unit<"hertz">;
export type Bpm = Unit<"bpm">;

/** Of a file's samples: whole numbers of so many bits, or 32-bit floats. */
export type Depth = "16" | "24" | "32f";

/** A depth of samples as it stands in names of files, lists and sheets; `f` at its end: floats. */
export const depthName = (depth: string): string =>
  depth.replace(/^(\d+)(f?)$/, (_, bits: string, float: string) => `${bits}-bit${float && " float"}`);

export const TICKS_PER_QUARTER: Ticks = 960;

/** The rates a session may run at, in hertz. */
export const RATES = [44100, 48000, 88200, 96000] as const;
