import Link from "next/link";
import type { SessionSummary } from "../../contract/session";

/** The first page: every session, the one worked on last on top. */
export function SessionList({ sessions }: { readonly sessions: readonly SessionSummary[] }) {
  return (
    <main className="mx-auto max-w-2xl px-6 py-16">
      <h1 className="text-4xl font-bold tracking-tight">Stemzo</h1>
      <p className="mt-2 text-base text-soft">Print tracks to audio, deliver aligned stems, and prove that what was delivered is right.</p>
      <h2 className="mt-12 border-b border-ink pb-1 text-lg font-semibold">Sessions</h2>
      {sessions.length === 0 && (
        <p className="mt-4 text-soft">
          There are none yet. Send a session document to <code className="figure">/api/sessions</code>; <a className="text-spot underline underline-offset-4" href="/api/openapi.json">the description of the interface</a> says how.
        </p>
      )}
      <ul>
        {sessions.map((s) => (
          <li key={s.id} className="border-b border-rule">
            <Link href={`/s/${s.id}`} className="flex items-baseline gap-4 px-1 py-3 hover:bg-shade">
              <span className="flex-1 text-base font-medium">{s.name}</span>
              <span className="text-soft">{s.tracks} tracks</span>
              <time dateTime={s.changedAt} className="figure text-xs text-soft">{s.changedAt.slice(0, 16).replace("T", " ")} UTC</time>
            </Link>
          </li>
        ))}
      </ul>
    </main>
  );
}
