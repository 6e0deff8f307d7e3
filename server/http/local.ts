/**
 * Whether a request was addressed to this machine by itself: another site's name that was made to point here must not
 * read anything.
 */
export const isLocalHost = (host: string | null): boolean =>
  /^(localhost|127\.0\.0\.1|\[::1\])(:\d+)?$/.test(host ?? "");
