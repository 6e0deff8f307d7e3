/// <reference lib="webworker" />
import { resumeEveryDevice } from "./resumes";

addEventListener("message", () => postMessage(resumeEveryDevice()));
