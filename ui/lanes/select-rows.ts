/**
 * The selected tracks after a press on one, in the order they were chosen; the one chosen last stays last. `order`: of
 * the rows; `through`: all between it and the one chosen last, too; `adding`: to what is selected, or out of it.
 */
export function afterPress(
  order: readonly string[],
  selected: readonly string[],
  id: string,
  { through, adding }: { readonly through: boolean; readonly adding: boolean },
): readonly string[] {
  const last = selected.at(-1);
  if (through && last !== undefined) {
    const [from = 0, to = 0] = [order.indexOf(last), order.indexOf(id)].sort((a, b) => a - b);
    const rest = selected.filter((s) => s !== last);
    return [...new Set([...rest, ...order.slice(from, to + 1).filter((s) => s !== last), last])];
  }
  if (!adding) return [id];
  return selected.includes(id) ? selected.filter((s) => s !== id) : [...selected, id];
}
