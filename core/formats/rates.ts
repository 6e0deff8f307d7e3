/**
 * Rates of audio files that are read, in hertz: from telephone lines to sixteen times 48 kHz. What lies outside is a
 * damaged header.
 */
const LOWEST = 1000;
const HIGHEST = 768_000;

export const isUsableRate = (rate: number): boolean => Number.isInteger(rate) && rate >= LOWEST && rate <= HIGHEST;
