import { EventEmitter } from "node:events";
import { sql } from "drizzle-orm";
import pg from "pg";
import type { Connection } from "./db/connect";
import { NOTICED, databaseUrl } from "./db/connect";

/** What everyone who looks at a session is told, the moment it is committed. */
export type SessionEvent =
  | { readonly about: "revision"; readonly session: string; readonly revision: number }
  | { readonly about: "job"; readonly session: string; readonly job: string }
  | { readonly about: "load"; readonly session: string }
  | { readonly about: "cancel"; readonly session: string; readonly job: string };

const CHANNEL = "stemzo";

/**
 * Sends an event; inside a transaction it goes out when that commits. A notification holds 8000 bytes, so it names
 * things and carries none.
 */
export async function announce(db: Connection, event: SessionEvent): Promise<void> {
  await db.execute(sql`select pg_notify(${CHANNEL}, ${JSON.stringify(event)})`);
}

/**
 * Listens on one connection a process, and again by itself when the database was away. Emits `event`, and `resumed`
 * after a gap.
 */
class Listener extends EventEmitter {
  private client: pg.Client | null = null;

  async start(): Promise<void> {
    const client = new pg.Client({ ...NOTICED, connectionString: databaseUrl() });
    client.on("error", () => this.lost(client));
    client.on("end", () => this.lost(client));
    client.on("notification", ({ payload }) => {
      if (payload) this.emit("event", JSON.parse(payload) as SessionEvent);
    });
    this.client = client;
    try {
      await client.connect();
      await client.query(`listen ${CHANNEL}`);
      this.emit("resumed");
    } catch {
      this.lost(client);
    }
  }

  private lost(client: pg.Client): void {
    if (this.client !== client) return;
    this.client = null;
    setTimeout(() => void this.start(), 500).unref();
  }
}

const holder = globalThis as { stemzoListener?: Listener };

function listener(): Listener {
  if (!holder.stemzoListener) {
    holder.stemzoListener = new Listener().setMaxListeners(0);
    void holder.stemzoListener.start();
  }
  return holder.stemzoListener;
}

/** Calls `hear` for every event, and `resumed` each time events may have been missed. Returns how to stop. */
export function subscribe(hear: (event: SessionEvent) => void, resumed: () => void): () => void {
  const source = listener();
  source.on("event", hear);
  source.on("resumed", resumed);
  return () => {
    source.off("event", hear);
    source.off("resumed", resumed);
  };
}
