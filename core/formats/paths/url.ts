/** A relative path as part of a URL: what has a meaning there is escaped. RFC 3986, 3.3. */
export const urlOfPath = (path: string): string =>
  path
    .split("/")
    .map((part) =>
      encodeURIComponent(part).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`),
    )
    .join("/");

/**
 * The path that a reference to a file means, with `/` between folders: from a `file:` URL, a relative one, or a plain
 * path of any system. What cannot be decoded is taken as it stands.
 */
export function pathOfUrl(url: string): string {
  const bare = url.replace(/^URL:/i, "").replace(/^file:(\/\/[^/]*)?/i, "");
  const isUrl = bare !== url || /%[0-9a-f]{2}/i.test(url);
  let path = bare;
  if (isUrl) {
    try {
      path = decodeURIComponent(bare);
    } catch {
      path = bare;
    }
  }
  return path.replaceAll("\\", "/").replace(/^\/([A-Za-z]:\/)/, "$1");
}

/** The last part of a path of any system. */
export const fileOfPath = (path: string): string => path.replace(/^.*[/\\]/, "");
