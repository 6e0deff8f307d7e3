"use client";

import { FolderOpen, Upload } from "lucide-react";
import { useState, type ReactNode } from "react";
import { Button } from "../parts/button";
import type { Gathered } from "./gather";
import { choose, filesOfDrop } from "./gather";

/** A place to drop files and folders on; `children` may be anything that lies on it. */
export function DropArea({
  onFiles,
  className = "",
  children,
}: {
  readonly onFiles: (files: readonly Gathered[]) => void;
  readonly className?: string;
  readonly children: ReactNode;
}) {
  const [over, setOver] = useState(false);
  return (
    <div
      data-over={over || undefined}
      onDragOver={(e) => {
        if (!e.dataTransfer.types.includes("Files")) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={(e) => {
        if (!e.currentTarget.contains(e.relatedTarget as Node | null)) setOver(false);
      }}
      onDrop={(e) => {
        if (!e.dataTransfer.types.includes("Files")) return;
        e.preventDefault();
        setOver(false);
        void filesOfDrop(e.dataTransfer).then(onFiles);
      }}
      className={`${className} data-[over]:bg-spot-wash data-[over]:outline-2 data-[over]:-outline-offset-4 data-[over]:outline-spot data-[over]:outline-dashed`}
    >
      {children}
    </div>
  );
}

/** What can be dropped, and the buttons for those who choose from a list. */
export function Invitation({ onFiles }: { readonly onFiles: (files: readonly Gathered[]) => void }) {
  return (
    <DropArea
      onFiles={onFiles}
      className="rounded-sm border-2 border-dashed border-ink/50 bg-lift px-6 py-5 hover:border-ink"
    >
      <p className="text-lg leading-snug font-semibold">Drop a session, a folder of stems, or a MIDI file</p>
      <p className="mt-1 max-w-[62ch] text-soft">
        AAF, DAWproject, OpenTimelineIO, AES31, MIDI, a bundle or package of Stemzo, a ZIP, or sounds as they are. You
        see what is in it, how it lines up and what is missing, before anything is opened.
      </p>
      <p className="mt-3 flex gap-2">
        <Button onClick={() => choose("files", onFiles)}>
          <Upload size={14} aria-hidden /> Choose files
        </Button>
        <Button onClick={() => choose("folder", onFiles)}>
          <FolderOpen size={14} aria-hidden /> Choose a folder
        </Button>
      </p>
    </DropArea>
  );
}
