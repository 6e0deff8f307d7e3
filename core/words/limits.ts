import { LONGEST_RENDER_S } from "../limits";

/** Why something that ends after `hours` is not rendered. */
export const sayTooLong = (hours: number): string =>
  `it would end after ${hours >= 48 ? `${Math.round(hours / 24)} days` : `${Math.round(hours)} hours`}; at most ${LONGEST_RENDER_S / 3600} hours are rendered`;
