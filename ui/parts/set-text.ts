/**
 * Shows a text in an element that React leaves empty. Text that has not changed costs nothing, and new text keeps its
 * node: a node that is replaced is styled and laid out anew, with every picture.
 */
export function setText(element: Element | null, text: string): void {
  const node = element?.firstChild;
  if (node instanceof Text) {
    if (node.data !== text) node.data = text;
  } else if (element) element.textContent = text;
}
