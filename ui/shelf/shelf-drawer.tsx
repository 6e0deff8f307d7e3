"use client";

import { useState } from "react";
import { ShelfRow, useShelf } from "./shelf-list";

/** The shelf under the lanes, to be carried onto them. */
export function ShelfDrawer() {
  const [search, setSearch] = useState("");
  const { session, items, total } = useShelf(search);
  return (
    <div className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
      <div className="flex items-center gap-3 px-3 py-1.5 pr-10">
        <b>Shelf</b>
        <input
          type="search"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
          aria-label="Search the shelf"
          placeholder="printed today, unused, a name …"
          className="min-h-6 w-64 rounded-sm border border-rule bg-lift px-2 text-xs hover:border-ink"
        />
        <span className="text-xs text-soft">{total === 0 ? "Nothing is on it yet." : "Drag a piece onto a lane."}</span>
      </div>
      <ul aria-label="Audio" className="overflow-y-auto border-t border-rule">
        {items.map((item) => (
          <ShelfRow key={item.asset.id} item={item} session={session} />
        ))}
      </ul>
    </div>
  );
}
