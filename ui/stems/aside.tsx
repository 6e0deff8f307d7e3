"use client";

import { Tabs } from "radix-ui";
import { useMemo } from "react";
import { preflight } from "../../core/delivery/preflight";
import type { Handoff } from "../../contract/handoff";
import { usePlayback } from "../playback/provider";
import { useSessionParts } from "../session/provider";
import { Names } from "./names";
import { Notes } from "./notes";
import { Preflight } from "./preflight";

const TAB =
  "min-h-8 border-b-2 border-transparent px-1 text-[13px] font-semibold text-soft data-[state=active]:border-ink data-[state=active]:text-ink hover:text-ink";

/** Beside the sheet: what to look at, how files are called, what the receiver is told. */
export function Aside({ last }: { readonly last: Handoff | null }) {
  const session = useSessionParts((s) => s.session);
  const { soloed } = usePlayback((s) => ({ soloed: s.soloed }));
  const findings = useMemo(() => {
    const measured = new Map(
      (last?.manifest.files ?? []).flatMap((f) => {
        const facts = last?.facts.find((known) => known.name === f.name);
        return facts ? [[f.title, facts.measures] as const] : [];
      }),
    );
    return preflight(session, () => crypto.randomUUID(), { soloed, last: measured });
  }, [session, soloed, last]);
  const { notes } = session.sheet;
  return (
    <Tabs.Root
      defaultValue="preflight"
      className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] border-l border-ink bg-shade"
    >
      <Tabs.List aria-label="Beside the sheet" className="flex gap-4 border-b border-rule px-4 pt-1">
        <Tabs.Trigger value="preflight" className={TAB}>
          Preflight {findings.length > 0 && <span className="figure text-xs">{findings.length}</span>}
        </Tabs.Trigger>
        <Tabs.Trigger value="names" className={TAB}>
          Names
        </Tabs.Trigger>
        <Tabs.Trigger value="notes" className={TAB}>
          Notes {notes !== "" && <span aria-label="written">·</span>}
        </Tabs.Trigger>
      </Tabs.List>
      <Tabs.Content value="preflight" className="min-h-0 overflow-auto px-4 py-3">
        <Preflight findings={findings} />
      </Tabs.Content>
      <Tabs.Content value="names" className="min-h-0 overflow-auto px-4 py-3">
        <Names />
      </Tabs.Content>
      <Tabs.Content value="notes" className="min-h-0 overflow-auto px-4 py-3">
        <Notes />
      </Tabs.Content>
    </Tabs.Root>
  );
}
