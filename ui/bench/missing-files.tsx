"use client";

import { useMemo } from "react";
import { missingAssets } from "../../core/session/supply";
import { DropArea } from "../intake/drop-area";
import { choose } from "../intake/gather";
import { Button } from "../parts/button";
import { useSessionParts } from "../session/provider";

/** What is missing of a session that was opened without all of its files, and where to drop it. */
export function MissingFiles() {
  const { assets, session, supply } = useSessionParts((s) => ({
    assets: s.session.assets,
    session: s.session,
    supply: s.supply,
  }));
  // Only a change of the shelf can change what is missing.
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const missing = useMemo(() => missingAssets(session), [assets]);
  if (missing.length === 0) return null;
  const names = missing.map((a) => a.name.replace(/^.*[/\\]/, ""));
  const take = (files: readonly { readonly file: File }[]) => void supply(files.map((f) => f.file));
  return (
    <DropArea onFiles={take} className="flex items-center gap-3 border-b border-wrong bg-wrong-wash px-3 py-1.5">
      <p className="min-w-0 flex-1 truncate" title={names.join(", ")}>
        <b className="font-semibold text-wrong">
          {missing.length === 1 ? "1 file is missing" : `${missing.length} files are missing`}.
        </b>
        <span className="text-soft">
          {" "}
          Silence stands for {names.slice(0, 3).join(", ")}
          {names.length > 3 && ` and ${names.length - 3} more`}. Drop them here.
        </span>
      </p>
      <Button onClick={() => choose("files", take)}>Choose them</Button>
    </DropArea>
  );
}
