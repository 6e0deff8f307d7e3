/** One set of columns for the sheet's head and rows. */
export const COLUMNS =
  "grid grid-cols-[20px_20px_22px_minmax(96px,0.9fr)_minmax(104px,1.1fr)_120px_44px_88px_minmax(116px,1.2fr)_98px_104px_24px] items-center gap-x-2 px-3";
