import { startDisposable } from "../../scripts/disposable";

export default async function globalSetup(): Promise<() => Promise<void>> {
  // Every answer of the run is held to the schema that is published for it.
  process.env["STEMZO_CHECK_ANSWERS"] = "1";
  const stemzo = await startDisposable();
  process.env["STEMZO_ADDRESS"] = stemzo.address;
  process.env["STEMZO_DATABASE_FOLDER"] = stemzo.databaseFolder;
  process.env["STEMZO_DATABASE_URL"] = stemzo.databaseUrl;
  process.env["STEMZO_DATA_ROOT"] = stemzo.dataRoot;
  process.env["STEMZO_WEB_BUILD"] = stemzo.web;
  process.env["STEMZO_WEB_PID"] = String(stemzo.webPid);
  return async () => {
    const errors = (await stemzo.stop()).filter((line) => /error|unhandled/i.test(line));
    if (errors.length > 0) console.log(`The servers said:\n${errors.slice(0, 20).join("\n")}`);
    const unpublished = errors.find((line) => line.includes("published"));
    if (unpublished) throw new Error(unpublished);
  };
}
