/** A relative path as part of a URL: what has a meaning there is escaped. RFC 3986, 3.3. */
export const urlOfPath = (path: string): string =>
  path
    .split("/")
    .map((part) =>
      encodeURIComponent(part).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`),
    )
    .join("/");

/**
 * The `file:` URL of a path in a folder, which is absolute: `/Users/ada/Mix`, `D:\Mix` or `\\server\share`. RFC
 * 8089, 2 and appendix E.2 and E.3.1.
 */
export function fileUrl(folder: string, path: string): string {
  const whole = `${folder.replaceAll("\\", "/").replace(/\/+$/, "")}/${path}`;
  if (whole.startsWith("//")) return `file:${whole.slice(0, 2)}${urlOfPath(whole.slice(2))}`;
  const drive = /^[A-Za-z]:(?=\/)/.exec(whole)?.[0];
  return drive ? `file:///${drive}${urlOfPath(whole.slice(2))}` : `file://${urlOfPath(whole)}`;
}

/** Whether a path names a place from the root of a disk or a server on. */
export const isAbsolutePath = (path: string): boolean => /^([/\\]|[A-Za-z]:[/\\])/.test(path);

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
