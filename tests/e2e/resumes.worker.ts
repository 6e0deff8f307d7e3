/// <reference lib="webworker" />
import { resumeEveryDevice } from "./resumes";

// Unasked: what it draws from is made while the module loads, and a message that comes before that is lost.
postMessage(resumeEveryDevice());
