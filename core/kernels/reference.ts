/** What the kernels compute, in plain TypeScript: easy to read, slower, and the same to the last bit. */
export * from "./reference/filters";
export * from "./reference/sums";
export * from "./reference/samples";
export * from "./reference/meters";
export * from "./reference/rates";
export * from "./reference/voices";
export * from "./reference/saturation";
export * from "./reference/transforms";
export * from "./reference/dynamics";
export * from "./reference/echoes";
export * from "./reference/room";
