// AssemblyScript: compiled to core/kernels/wasm.gen.ts by `npm run kernels`. Every function works on memory that the
// caller laid out: pointers are byte offsets, samples are f32, states and coefficients f64. Each has a readable twin in
// TypeScript that gives the same bits; operations and their order are the twin's.
export { louder, compress, limit, applyGains } from "./dynamics";
export { repeat, copies } from "./echoes";
export { flacFrame } from "./flac";
export { biquad, sweep } from "./filters";
export { interpolatedPeak, range, ranges, equal, kWeightedEnergy } from "./meters";
export { decimate, interpolate, readBetween } from "./rates";
export { feedbackNetwork, outOfNetwork } from "./room";
export { unpack24, pack } from "./samples";
export { drive, driveFine, longestStep, blend } from "./saturation";
export { blockPeak, addTo, fromSum, scale, hold, glide, move, widen } from "./sums";
export { multiplyAdd } from "./transforms";
export { synthLines, synthVoice, resonate, addFading } from "./voices";
