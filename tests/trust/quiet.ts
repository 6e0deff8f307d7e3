import pg from "pg";

const LONGEST_MS = 60_000;

/** Cancels whatever jobs are left and waits until none is under way: the next test has the machine to itself. */
export async function quieten(address: string, databaseUrl: string): Promise<void> {
  const client = new pg.Client({ connectionString: databaseUrl });
  await client.connect();
  try {
    const until = performance.now() + LONGEST_MS;
    for (;;) {
      const { rows } = await client.query<{ id: string }>(
        "select id from jobs where status in ('waiting', 'running') order by made_at desc",
      );
      if (rows.length === 0) return;
      if (performance.now() > until) throw new Error(`${rows.length} jobs do not end`);
      for (const { id } of rows) await fetch(`${address}/api/jobs/${id}/cancel`, { method: "POST" });
      await new Promise((r) => setTimeout(r, 300));
    }
  } finally {
    await client.end();
  }
}
