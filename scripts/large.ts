import { parseArgs } from "node:util";
import type { SessionState } from "../contract/session";
import { DEMO_ID } from "../contract/demo-id";
import { largeSession } from "../demo/large-session";

/** Adds a large session, cut from the demo's recordings, to a Stemzo that is running. */
async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      tracks: { type: "string", default: "200" },
      clips: { type: "string", default: "10000" },
      address: { type: "string", default: "http://127.0.0.1:4870" },
    },
  });
  const [tracks, clips] = [Number(values.tracks), Number(values.clips)];
  if (!(tracks >= 1 && tracks <= 900 && clips >= tracks && clips <= 500_000))
    throw new Error("--tracks is 1 to 900, --clips at least as many");
  const demo = (await (await fetch(`${values.address}/api/sessions/${DEMO_ID}`)).json()) as SessionState;
  const audio = demo.document.assets.filter((a) => a.frames > 5 * demo.document.rate);
  const id = `large-${tracks}`;
  const response = await fetch(`${values.address}/api/sessions`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ id, document: largeSession({ tracks, clips, audio, rate: demo.document.rate }) }),
  });
  if (!response.ok) throw new Error(await response.text());
  console.log(`${values.address}/s/${id}`);
}

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
});
