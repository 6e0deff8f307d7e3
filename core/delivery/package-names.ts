/** In the package's folder: the hash and name of every file, as `sha256sum -c` takes them. */
export const HASH_LIST_NAME = "SHA256SUMS";
export const MANIFEST_NAME = "manifest.json";
