/**
 * Text to stand between tags or in an attribute of an XML or HTML page. What XML cannot hold at all is left out:
 * controls, and halves of surrogate pairs. XML 1.0, 2.2 and 2.4.
 */
export const xmlText = (text: string): string =>
  text
    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, "")
    .replace(/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, "")
    .replaceAll("&", "&amp;")
    .replaceAll("<", "&lt;")
    .replaceAll(">", "&gt;")
    .replaceAll('"', "&quot;");
