import type { ReactNode } from "react";

/** One line of a list of facts: what it is about, and what there is to say. */
export const Fact = ({ term, children }: { readonly term: string; readonly children: ReactNode }) => (
  <>
    <dt className="font-semibold text-soft">{term}</dt>
    <dd className="truncate">{children}</dd>
  </>
);
