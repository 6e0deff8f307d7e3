"use client";

import { useMemo } from "react";
import { planExport } from "../../core/delivery/plan";
import { useSessionParts } from "../session/provider";
import { useHandoffs } from "../session/use-handoffs";
import { History } from "./history";
import { PackageTree } from "./package-tree";
import { ProfileList } from "./profile-list";
import { SessionFiles } from "../session-files/session-files";
import { sayPlanned } from "../../core/words/refusals";

/** Delivering: the receiver, the package with its session files, and earlier handoffs. */
export function HandoffScreen() {
  const session = useSessionParts((s) => s.session);
  const { list, fault } = useHandoffs(null);
  const plan = useMemo(() => sayPlanned(planExport(session, new Date()), "sheet"), [session]);
  return (
    <main className="grid h-full grid-cols-[256px_minmax(0,1fr)_minmax(0,1fr)]">
      <ProfileList />
      <PackageTree plan={plan} list={list ?? []} />
      <div className="min-h-0 overflow-auto">
        <div className="border-b border-ink px-5 pt-4 pb-4">
          <SessionFiles />
        </div>
        <History list={list} fault={fault} />
      </div>
    </main>
  );
}
