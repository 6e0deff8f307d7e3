import type { Changes, Manifest } from "./manifest";
import type { ExportPlan } from "./plan";

/** How each file of a plan stands against an earlier package. */
export interface Comparison {
  /** By the plan's order: the earlier file whose bytes it is, or null where it has to be rendered. */
  readonly reused: readonly (Manifest["files"][number] | null)[];
  readonly changes: Omit<Changes, "handoff" | "full" | "whyAll">;
}

/** `keys` are the plan's files', in their order. */
export function compareWithEarlier(plan: ExportPlan, keys: readonly string[], earlier: Manifest): Comparison {
  const byKey = new Map(earlier.files.filter((f) => f.key !== "").map((f) => [f.key, f]));
  const reused = keys.map((key) => byKey.get(key) ?? null);
  const taken = new Set(reused.flatMap((f) => f?.name ?? []));
  const names = new Set(plan.files.map((f) => f.fileName));
  const added: string[] = [];
  const changed: string[] = [];
  const unchanged: string[] = [];
  const renamed: { from: string; to: string }[] = [];
  plan.files.forEach((file, i) => {
    if (reused[i]) {
      unchanged.push(file.fileName);
      return;
    }
    const free = earlier.files.filter((f) => !taken.has(f.name) && f.role === file.role);
    const same = free.find((f) => f.name === file.fileName) ?? free.find((f) => f.title === file.title);
    const moved = free.find((f) => f.fingerprint === file.fingerprint && !names.has(f.name));
    const before = same ?? moved;
    if (!before) added.push(file.fileName);
    else {
      taken.add(before.name);
      if (before.name !== file.fileName) renamed.push({ from: before.name, to: file.fileName });
      if (before.name === file.fileName || before.fingerprint !== file.fingerprint) changed.push(file.fileName);
    }
  });
  const removed = earlier.files.filter((f) => !taken.has(f.name)).map((f) => f.name);
  return { reused, changes: { added, changed, unchanged, renamed, removed } };
}
