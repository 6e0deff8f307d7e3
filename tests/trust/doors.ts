import { connect } from "node:net";
import type { Handoff } from "../../contract/handoff";
import type { Job } from "../../contract/job";
import { isOver } from "../../contract/job-progress";
import type { ResultOf } from "../../contract/job-kinds";
import { openDoor } from "../setup/door";

const PASSWORD = "lamps over water";

/** One request over a connection of its own, byte for byte as it is given; answers with its status line. */
const raw = (port: number, text: string, leaveAfter = Infinity): Promise<string> =>
  new Promise((resolve, reject) => {
    let got = "";
    let bytes = 0;
    const socket = connect(port, "127.0.0.1", () => socket.write(text));
    socket.on("data", (part) => {
      if (got.length < 1000) got += part.toString("latin1");
      bytes += part.length;
      if (bytes >= leaveAfter) socket.destroy();
    });
    socket.on("close", () => resolve(got.split("\r\n")[0] ?? ""));
    socket.on("error", reject);
    socket.setTimeout(10_000, () => socket.destroy());
  });

/**
 * Tries to come in, to lock others out, to be led elsewhere and to take more than a link gives, on a server that is
 * open to others. `address`: of the server that is not, on the same data. Answers with what went wrong.
 */
export async function tryDoors(address: string): Promise<readonly string[]> {
  const wrong: string[] = [];
  const expected = (what: string, found: unknown, wanted: unknown) => {
    if (JSON.stringify(found) !== JSON.stringify(wanted))
      wrong.push(`${what}: ${JSON.stringify(found)}, not ${JSON.stringify(wanted)}`);
  };
  const handoff = await exported(address);
  const door = await openDoor(PASSWORD);
  const base = `http://127.0.0.1:${door.port}`;
  const host = `Host: 127.0.0.1:${door.port}\r\n`;
  const post = (path: string, body: unknown, headers: Record<string, string> = {}) =>
    fetch(`${base}${path}`, {
      method: "POST",
      headers: { "content-type": "application/json", ...headers },
      body: JSON.stringify(body),
    });
  const login = async (password: string, headers: Record<string, string> = {}) => {
    const answer = await post("/api/login", { password }, headers);
    await answer.arrayBuffer();
    return { status: answer.status, cookie: answer.headers.get("set-cookie")?.split(";")[0] ?? "" };
  };
  const sessions = async (at: string, cookie: string) => {
    const answer = await fetch(`${at}/api/sessions`, { headers: { cookie } });
    await answer.arrayBuffer();
    return answer.status;
  };
  try {
    for (const target of ["/%zz", "/%ff%fe", "/api/%c0%af", "/s/%"])
      expected(
        target,
        (await raw(door.port, `GET ${target} HTTP/1.1\r\n${host}Connection: close\r\n\r\n`)).slice(9, 12),
        "400",
      );
    expected("*", (await raw(door.port, `OPTIONS * HTTP/1.1\r\n${host}Connection: close\r\n\r\n`)).slice(9, 12), "400");

    for (const to of [
      "/%09/evil.example",
      "//evil.example",
      "/%5Cevil.example",
      "https://evil.example",
      "/%0a/evil.example",
    ]) {
      const page = await (await fetch(`${base}/login?to=${to}`)).text();
      const led = /\\"to\\":\\"([^"]*)\\"/.exec(page)?.[1] ?? null;
      expected(`a login that leads to ${to}`, led === null || /evil/.test(led) ? led : "/", "/");
    }

    // A picture on another site's page that asks for work to be done.
    const foreign = await fetch(`${address}/api/survey?verify=yes`, { headers: { "Sec-Fetch-Site": "cross-site" } });
    expected("a survey from a foreign page", foreign.status, 400);

    const { cookie } = await login(PASSWORD);
    expected("a login", await sessions(base, cookie), 200);
    const renamed = await openDoor("another password");
    expected("a login by the old password", await sessions(`http://127.0.0.1:${renamed.port}`, cookie), 401);
    renamed.stop();
    const again = await openDoor(PASSWORD);
    expected("a login after a restart", await sessions(`http://127.0.0.1:${again.port}`, cookie), 200);
    again.stop();

    const { path } = await linked(address, handoff.id, { passphrase: "rope and lamp" });
    const guesses: number[] = [];
    for (let n = 0; n < 20; n++)
      guesses.push(
        (await post(`/api${path}/enter`, { passphrase: `guess ${n}` }, { "x-forwarded-for": `10.0.0.${n}` })).status,
      );
    expected("passphrases that are guessed from made-up addresses", guesses.at(-1), 429);
    expected("the owner's login meanwhile", (await login(PASSWORD)).status, 200);
    const tries: number[] = [];
    for (let n = 0; n < 20; n++) tries.push((await login(`guess ${n}`, { "x-forwarded-for": `10.0.1.${n}` })).status);
    expected("passwords that are guessed from made-up addresses", tries.at(-1), 429);

    const once = await linked(address, handoff.id, { mostDownloads: 1 });
    const package_ = `/api${once.path}/package`;
    const fetched = async (headers: Record<string, string> = {}, method = "GET") => {
      const answer = await fetch(`${base}${package_}`, { method, headers });
      await answer.arrayBuffer();
      return answer.status;
    };
    expected("HEAD", [await fetched({}, "HEAD"), await fetched({}, "HEAD")], [200, 200]);
    await raw(door.port, `GET ${package_} HTTP/1.1\r\n${host}Connection: close\r\n\r\n`, 100);
    await settled(() => downloads(address, handoff.id, once.id), 0);
    expected("all of it but a byte, after a try that broke off", await fetched({ Range: "bytes=1-" }), 206);
    await settled(() => downloads(address, handoff.id, once.id), 1);
    expected("the same again", await fetched({ Range: "bytes=1-" }), 403);
    expected("all of it", await fetched(), 403);
  } finally {
    door.stop();
  }
  return wrong;
}

async function json<T>(answer: Promise<Response>): Promise<T> {
  return (await (await answer).json()) as T;
}

const posted = <T>(address: string, path: string, body: unknown): Promise<T> =>
  json<T>(
    fetch(`${address}/api${path}`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify(body),
    }),
  );

async function exported(address: string): Promise<Handoff> {
  let job = await posted<Job>(address, "/sessions/harbour-lamps/exports", { since: null, full: true });
  while (!isOver(job.status)) {
    await new Promise((r) => setTimeout(r, 200));
    job = await json<Job>(fetch(`${address}/api/jobs/${job.id}`));
  }
  return json<Handoff>(fetch(`${address}/api/handoffs/${(job.result as ResultOf<"export">).handoff}`));
}

interface Linked {
  readonly id: string;
  readonly path: string;
}

async function linked(address: string, handoff: string, how: object): Promise<Linked> {
  const body = { name: "Ines", days: 7, passphrase: null, mostDownloads: null, ...how };
  const { link, path } = await posted<{ link: { id: string }; path: string }>(
    address,
    `/handoffs/${handoff}/links`,
    body,
  );
  return { id: link.id, path };
}

const downloads = async (address: string, handoff: string, link: string): Promise<number> => {
  const all = await json<readonly { id: string; downloads: number }[]>(
    fetch(`${address}/api/handoffs/${handoff}/links`),
  );
  return all.find((l) => l.id === link)?.downloads ?? -1;
};

/** Waits until what a closed connection is counted as is in the database. */
async function settled(read: () => Promise<number>, wanted: number): Promise<void> {
  for (let tries = 0; (await read()) !== wanted && tries < 100; tries++) await new Promise((r) => setTimeout(r, 50));
}
