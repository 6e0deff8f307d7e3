"use client";

import { Plus } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState, useSyncExternalStore } from "react";
import { toast } from "sonner";
import type { SessionSummary } from "../../contract/session";
import { Button } from "../parts/button";
import { showFault } from "../session/provider";
import { Refused, api } from "../session/api";
import { Invitation } from "../intake/drop-area";
import { useIntake } from "../intake/store";
import { NewSession } from "./new-session";
import { SessionRow } from "./session-row";
import { useSketches } from "./sketch";

const never = () => () => undefined;

/** A shorter list is seen at one glance. */
const SEARCHED_FROM = 9;

/** The first page: every session, the one worked on last on top; new ones, copies, names, and what was deleted. */
export function SessionList({ initial }: { readonly initial: readonly SessionSummary[] }) {
  const router = useRouter();
  const [sessions, setSessions] = useState(initial);
  const [search, setSearch] = useState("");
  const [isBeginning, setBeginning] = useState(false);
  const [renaming, setRenaming] = useState<string | null>(null);
  const awake = useSyncExternalStore(
    never,
    () => true,
    () => false,
  );
  const here = sessions.filter((s) => s.deletedAt === null);
  const shown = here.filter((s) => s.name.toLowerCase().includes(search.trim().toLowerCase()));
  const sketches = useSketches(shown);
  const deleted = sessions.filter((s) => s.deletedAt !== null);

  /** Does something to the sessions and shows what there is then; a refusal is said in words. */
  const then = async (work: () => Promise<unknown>) => {
    try {
      await work();
      setSessions(await api.sessions());
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      showFault(error.fault);
    }
  };
  const restore = (s: SessionSummary) => then(() => api.restoreSession(s.id));
  const remove = (s: SessionSummary) =>
    then(async () => {
      await api.deleteSession(s.id);
      toast(`${s.name} is off the list. Nothing of it is lost.`, {
        action: { label: "Bring it back", onClick: () => void restore(s) },
      });
    });
  const rename = (s: SessionSummary, name: string) =>
    then(async () => {
      setRenaming(null);
      if (name === "") return;
      const { revision } = await api.session(s.id);
      await api.postSteps(s.id, revision, [
        {
          id: crypto.randomUUID(),
          step: { label: `Rename the session to ${name}`, edits: [{ do: "set session", patch: { name } }] },
        },
      ]);
    });

  return (
    <main className="mx-auto max-w-3xl px-6 py-14" {...(awake ? { "data-awake": "" } : {})}>
      <h1 className="text-4xl font-bold tracking-tight">Stemzo</h1>
      <p className="mt-2 text-base text-soft">
        Print tracks to audio, deliver aligned stems, and prove that what was delivered is right.
      </p>
      <div className="mt-8">
        <Invitation
          onFiles={(files) => {
            void useIntake.getState().add(files);
            router.push("/intake");
          }}
        />
      </div>
      <div className="mt-8 flex items-end justify-between border-b border-ink pb-1.5">
        <h2 className="text-lg font-semibold">Sessions</h2>
        <span className="flex items-center gap-3">
          {here.length >= SEARCHED_FROM && (
            <input
              type="search"
              value={search}
              aria-label="Search sessions by name"
              placeholder="search"
              onChange={(e) => setSearch(e.target.value)}
              className="h-7 w-44 rounded-sm border border-rule bg-lift px-2 text-[13px] hover:border-ink"
            />
          )}
          <Button kind="main" aria-expanded={isBeginning} onClick={() => setBeginning(!isBeginning)}>
            <Plus size={14} aria-hidden /> New session
          </Button>
        </span>
      </div>
      {isBeginning && (
        <NewSession
          taken={here.map((s) => s.name)}
          onCreate={(document) => void then(async () => router.push(`/s/${(await api.createSession(document)).id}`))}
          onLeave={() => setBeginning(false)}
        />
      )}
      {here.length === 0 && (
        <p className="mt-4 text-soft">
          There are none. Begin a new one: then add tracks, or drop audio and MIDI files on it.
        </p>
      )}
      <ul aria-label="Sessions">
        {shown.map((s) => (
          <SessionRow
            key={s.id}
            of={s}
            sketch={sketches.get(s.id)}
            awake={awake}
            renaming={renaming === s.id}
            onRename={(name) => void rename(s, name)}
            onRenaming={(on) => setRenaming(on ? s.id : null)}
            onDuplicate={() => void then(() => api.duplicateSession(s.id))}
            onDelete={() => void remove(s)}
          />
        ))}
      </ul>
      {deleted.length > 0 && <Deleted sessions={deleted} onRestore={(s) => void restore(s)} />}
      <p className="mt-10 flex gap-5 text-xs">
        <Link href="/guide" className="text-soft underline underline-offset-4 hover:text-ink">
          Guide
        </Link>
        <Link href="/running" className="text-soft underline underline-offset-4 hover:text-ink">
          System status
        </Link>
      </p>
    </main>
  );
}

interface DeletedProps {
  readonly sessions: readonly SessionSummary[];
  readonly onRestore: (session: SessionSummary) => void;
}

const Deleted = ({ sessions, onRestore }: DeletedProps) => (
  <details className="mt-10">
    <summary className="cursor-pointer text-soft hover:text-ink">
      {sessions.length} deleted {sessions.length === 1 ? "session" : "sessions"}, kept whole
    </summary>
    <ul aria-label="Deleted sessions" className="mt-2">
      {sessions.map((s) => (
        <li key={s.id} className="flex items-center gap-4 border-b border-rule px-1 py-1.5">
          <span className="min-w-0 flex-1 truncate">{s.name}</span>
          <span className="text-soft">
            {s.tracks} {s.tracks === 1 ? "track" : "tracks"}
          </span>
          <Button aria-label={`Bring back ${s.name}`} onClick={() => onRestore(s)}>
            Bring back
          </Button>
        </li>
      ))}
    </ul>
  </details>
);
