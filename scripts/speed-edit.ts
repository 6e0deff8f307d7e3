import type { SessionState } from "../contract/session";
import { DEMO_ID } from "../contract/demo-id";
import type { Edit } from "../core/session/edits";
import type { Session, Track } from "../core/session/document";
import { largeSession } from "../demo/large-session";
import { connect } from "../server/db/connect";
import { startDisposable } from "./disposable";

/** What an edit costs on a big session and on a small one, through HTTP, in one run. */
export interface EditFigures {
  /** Median of a small edit, until it is stored: on 200 tracks and 10,000 clips, and on eight tracks. */
  readonly bigMs: number;
  readonly smallMs: number;
  /** The most that one edit wrote to the table of steps. */
  readonly stepBytes: number;
  /** Median until the whole big session is here, and how often it was asked for. */
  readonly openMs: number;
}

const TURNS = 50;

/** Small edits of every kind, on tracks and clips all over a session. */
function smallEdit(session: Session, turn: number): Edit {
  const played = session.tracks.filter((t) => t.clips.length > 0);
  const track = played[(turn * 37) % played.length] as Track;
  const clip = track.clips[(turn * 11) % track.clips.length] as Track["clips"][number];
  const device = track.devices[0];
  switch (turn % 5) {
    case 0:
      return { do: "set", in: "tracks", id: track.id, patch: { faderDb: -(turn % 24) } };
    case 1:
      return { do: "set", in: "clips", track: track.id, id: clip.id, patch: { start: clip.start + 480 * turn } };
    case 2:
      return { do: "set", in: "tracks", id: track.id, patch: { name: `Take ${turn}` } };
    case 3:
      return device
        ? { do: "set", in: "devices", track: track.id, id: device.id, patch: { on: turn % 2 === 0 } }
        : { do: "set", in: "tracks", id: track.id, patch: { mute: turn % 2 === 0 } };
    default:
      return {
        do: "add",
        in: "markers",
        item: { id: `m${turn}`, name: `Here ${turn}`, tick: 960 * turn },
        index: session.markers.length,
      };
  }
}

/** Runs Stemzo with its demo, and edits a small and a big session in turns. */
export async function measureEdits(): Promise<EditFigures> {
  const stemzo = await startDisposable();
  const { pool } = connect(stemzo.databaseUrl, 1);
  const call = async <T>(path: string, body?: unknown): Promise<T> => {
    const response = await fetch(
      `${stemzo.address}/api/sessions${path}`,
      body === undefined
        ? {}
        : { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) },
    );
    if (!response.ok) throw new Error(await response.text());
    return (await response.json()) as T;
  };
  try {
    const { document: demo } = await call<SessionState>(`/${DEMO_ID}`);
    const audio = demo.assets.filter((a) => a.frames > 5 * demo.rate);
    const both = [
      { id: "edit-small", document: largeSession({ tracks: 8, clips: 80, audio, rate: demo.rate }), took: [] },
      { id: "edit-big", document: largeSession({ tracks: 200, clips: 10_000, audio, rate: demo.rate }), took: [] },
    ] as { readonly id: string; readonly document: Session; readonly took: number[] }[];
    for (const { id, document } of both) await call("", { id, document });
    for (let turn = 0; turn < TURNS; turn++)
      for (const { id, document, took } of both) {
        const step = { label: `Edit ${turn}`, edits: [smallEdit(document, turn)] };
        const began = performance.now();
        await call(`/${id}/edits`, { base: turn, steps: [{ id: `${id}-${turn}`, step }] });
        took.push(performance.now() - began);
      }
    const opened: number[] = [];
    for (let turn = 0; turn < 11; turn++) {
      const began = performance.now();
      await call("/edit-big");
      opened.push(performance.now() - began);
    }
    const { rows } = await pool.query<{ most: number }>(
      "select max(pg_column_size(steps.*)) as most from steps where session_id like 'edit-%'",
    );
    return {
      smallMs: median(both[0]?.took ?? []),
      bigMs: median(both[1]?.took ?? []),
      stepBytes: rows[0]?.most ?? NaN,
      openMs: median(opened),
    };
  } finally {
    await pool.end();
    await stemzo.stop();
  }
}

const median = (all: readonly number[]): number => all.toSorted((a, b) => a - b)[all.length >> 1] ?? NaN;
