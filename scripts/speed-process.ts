import { readFileSync } from "node:fs";
import type { SpeedWork } from "./speed-work";
import { doWork } from "./speed-work";

await doWork(JSON.parse(readFileSync(process.argv[2] ?? "", "utf8")) as SpeedWork);
