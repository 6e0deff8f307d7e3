import { startDisposable } from "../../scripts/disposable";

export default async function globalSetup(): Promise<() => Promise<void>> {
  const stemzo = await startDisposable();
  process.env["STEMZO_ADDRESS"] = stemzo.address;
  process.env["STEMZO_DATABASE_FOLDER"] = stemzo.databaseFolder;
  process.env["STEMZO_WEB_PID"] = String(stemzo.webPid);
  return async () => {
    const errors = (await stemzo.stop()).filter((line) => /error|unhandled/i.test(line));
    if (errors.length > 0) console.log(`The servers said:\n${errors.slice(0, 20).join("\n")}`);
  };
}
