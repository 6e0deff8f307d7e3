import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";

interface Figures {
  readonly edits: number;
  readonly perSecond: number;
  readonly p95Ms: number;
}

const quantile = (values: readonly number[], q: number): number =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(q * values.length))] ?? NaN;

async function post<T>(
  address: string,
  path: string,
  body: unknown,
): Promise<{ readonly status: number; readonly value: T }> {
  const response = await fetch(`${address}/api${path}`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  });
  return { status: response.status, value: (await response.json()) as T };
}

const fader = (track: string, n: number) => ({
  label: "Fader",
  edits: [{ do: "set", in: "tracks", id: track, patch: { faderDb: -((n % 600) / 10) } }],
});

/** An edit of `writer`'s, sent until it is stored; answers with the revision it made and how long it took. */
async function edit(
  address: string,
  session: string,
  { id, step, rebase }: { readonly id: string; readonly step: unknown; readonly rebase: boolean },
  base: number,
): Promise<{ readonly revision: number; readonly ms: number }> {
  const began = performance.now();
  for (let at = base; ;) {
    const { status, value } = await post<{ revision: number }>(address, `/sessions/${session}/edits`, {
      base: at,
      steps: [{ id, step }],
      rebase,
    });
    if (status === 200) return { revision: value.revision, ms: performance.now() - began };
    if (status !== 409) throw new Error(`an edit was answered with ${status}`);
    at = value.revision;
  }
}

/** So many writers on one session at once, each on a track of it, for some seconds. Throws where an edit is lost. */
export async function manyWriters(
  address: string,
  session: string,
  tracks: readonly string[],
  { writers, seconds, rebase }: { readonly writers: number; readonly seconds: number; readonly rebase: boolean },
): Promise<Figures> {
  const took: number[] = [];
  const until = performance.now() + seconds * 1000;
  const { revision: before } = (await (await fetch(`${address}/api/sessions/${session}`)).json()) as {
    revision: number;
  };
  await Promise.all(
    Array.from({ length: writers }, async (_, w) => {
      let base = before;
      for (let n = 0; performance.now() < until; n++) {
        const step = fader(tracks[w % tracks.length] as string, n);
        const id = `${session}-${before}-${w}-${n}`;
        const { revision, ms } = await edit(address, session, { id, step, rebase }, base);
        base = revision;
        took.push(ms);
      }
    }),
  );
  const { revision: after } = (await (await fetch(`${address}/api/sessions/${session}`)).json()) as {
    revision: number;
  };
  if (after - before !== took.length)
    throw new Error(`${took.length} edits were acknowledged, ${after - before} are there`);
  return { edits: took.length, perSecond: took.length / seconds, p95Ms: quantile(took, 0.95) };
}

/** Edits one after the other, as a person makes them, while an export of the same session is under way. */
export async function editsWhileExporting(address: string, session: string, track: string): Promise<Figures> {
  const took: number[] = [];
  const began = performance.now();
  const asked = await post<Job>(address, `/sessions/${session}/exports`, { since: null, full: true });
  let { revision } = (await (await fetch(`${address}/api/sessions/${session}`)).json()) as { revision: number };
  for (let job = asked.value, n = 0; !isOver(job.status); n++) {
    const id = `while-${asked.value.id}-${n}`;
    const made = await edit(address, session, { id, step: fader(track, n), rebase: false }, revision);
    revision = made.revision;
    took.push(made.ms);
    await new Promise((r) => setTimeout(r, 20));
    if (n % 10 === 9) job = (await (await fetch(`${address}/api/jobs/${job.id}`)).json()) as Job;
  }
  return {
    edits: took.length,
    perSecond: took.length / ((performance.now() - began) / 1000),
    p95Ms: quantile(took, 0.95),
  };
}
