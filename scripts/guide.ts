import { writeFileSync } from "node:fs";
import { guideText } from "../ui/guide/guide-text";

/** Writes the guide of the app as `docs/guide.md`. */
writeFileSync("docs/guide.md", guideText());
