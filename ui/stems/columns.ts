/** One set of columns for the sheet's head and rows. */
export const COLUMNS =
  "grid grid-cols-[24px_24px_minmax(104px,0.9fr)_minmax(130px,1.2fr)_122px_54px_minmax(150px,1.2fr)_92px_116px_26px] items-center gap-x-2 px-3";
