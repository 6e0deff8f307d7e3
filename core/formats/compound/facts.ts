/** Numbers of the compound file format. MS-CFB 2.2 to 2.6. */
export const SIGNATURE = [0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1] as const;
export const FREE = 0xffffffff;
export const END_OF_CHAIN = 0xfffffffe;
export const FAT_SECTOR = 0xfffffffd;
export const DIFAT_SECTOR = 0xfffffffc;
export const NO_ENTRY = 0xffffffff;
export const HEADER_BYTES = 512;
/** Places of FAT sectors that stand in the header itself. */
export const HEADER_DIFAT = 109;
/** Shorter streams lie together in sectors of their own kind. */
export const MINI_CUTOFF = 4096;
export const MINI_BYTES = 64;
export const ENTRY_BYTES = 128;
export const LONGEST_NAME = 31;
export const STORAGE = 1;
export const STREAM = 2;
export const ROOT = 5;
