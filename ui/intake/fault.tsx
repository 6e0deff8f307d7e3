import type { ServiceFault } from "../../contract/job";

/** What happened, and what to do. */
export function Fault({ what, todo, problems }: Pick<ServiceFault, "what" | "todo" | "problems">) {
  return (
    <div role="alert" className="mb-4 border-l-2 border-wrong bg-wrong-wash px-3 py-2">
      <p className="font-semibold">{what}</p>
      {problems.slice(0, 5).map((p, i) => (
        <p key={i} className="text-xs">
          {p.where}: {p.what}
        </p>
      ))}
      <p className="text-soft">{todo}</p>
    </div>
  );
}
