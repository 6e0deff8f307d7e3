"use client";

import { useState } from "react";
import { clearUnused } from "../../core/session/usage";
import { chooseFiles } from "../import/store";
import { Button } from "../parts/button";
import { useSessionParts } from "../session/provider";
import { ShelfRow, useShelf } from "./shelf-list";

/** The screen of all audio of the session. */
export function Shelf() {
  const [search, setSearch] = useState("");
  const { session, items, stale, total, unused } = useShelf(search);
  const { edit, refresh } = useSessionParts((s) => ({ edit: s.edit, refresh: s.refresh }));
  return (
    <main className="grid h-full grid-rows-[auto_minmax(0,1fr)] bg-paper">
      <div className="flex items-center gap-4 border-b border-ink px-5 py-3">
        <h1 className="text-2xl font-bold tracking-tight">Shelf</h1>
        <p className="text-soft">
          {total} {total === 1 ? "piece" : "pieces"} of audio
          {unused > 0 && (
            <>
              , <span className="figure">{unused}</span> not used
            </>
          )}
        </p>
        <span className="flex-1" />
        <input
          type="search"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
          aria-label="Search the shelf"
          placeholder="printed today, stereo, unused, a name …"
          className="min-h-8 w-72 rounded-sm border border-rule bg-lift px-2.5 hover:border-ink"
        />
        <Button onClick={chooseFiles} className="min-h-8">
          Import files
        </Button>
        <Button
          disabled={stale.length === 0}
          className="min-h-8"
          title="Every print whose source has changed, as one step"
          onClick={() => void refresh(stale)}
        >
          {stale.length > 1 ? `Refresh ${stale.length} stale prints` : "Refresh stale prints"}
        </Button>
        <Button
          disabled={unused === 0}
          className="min-h-8"
          title="The files stay in the store: it can be undone"
          onClick={() =>
            edit(`Take ${unused} unused ${unused === 1 ? "piece" : "pieces"} off the shelf`, clearUnused(session))
          }
        >
          Remove unused audio
        </Button>
      </div>
      <div className="overflow-y-auto px-3 pb-6">
        {items.length === 0 ? (
          <p className="px-4 py-8 text-soft">
            {total === 0
              ? "There is no audio in this session yet. Bring files in, freeze a track or print one: it all ends up here."
              : "Nothing on the shelf fits that."}
          </p>
        ) : (
          <ul aria-label="Audio">
            {items.map((item) => (
              <ShelfRow key={item.asset.id} item={item} session={session} />
            ))}
          </ul>
        )}
      </div>
    </main>
  );
}
