/**
 * The version this code reads and writes; older documents pass through the migrations of `read.ts`. Fields that came
 * later have defaults, so that steps of a session's history that were made before them can still be undone.
 */
export const SESSION_VERSION = 7;
