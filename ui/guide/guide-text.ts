import { keyText } from "../actions/action";
import { wayTo } from "../frame/menus";
import { ACTIONS } from "../frame/registry";
import type { Chapter, GuideStep } from "./chapters";
import { CHAPTERS } from "./chapters";

const byId = new Map(ACTIONS.map((a) => [a.id, a]));

interface HowTo {
  readonly label: string;
  readonly key: string | null;
  /** The menu it stands in, or the palette where it has neither key nor menu. */
  readonly way: string | null;
}

/** The action of a step, and how it is started; null: the step is done by hand. */
export function howTo({ action: id }: GuideStep): HowTo | null {
  const action = id === undefined ? undefined : byId.get(id);
  if (!action) return null;
  const key = action.key === null ? null : keyText(action.key);
  return { label: action.label, key, way: wayTo(action.id) ?? (key === null ? "in the palette" : null) };
}

function chapterText({ title, when, steps, look, wrong, picture }: Chapter): string {
  const lines = steps.map((step, i) => {
    const how = howTo(step);
    const ways = [...(how?.key ? [`\`${how.key}\``] : []), ...(how?.way ? [how.way] : [])].join(", ");
    return `${i + 1}. ${step.text}${how ? `: *${how.label}* (${ways})` : ""}.`;
  });
  return [
    `## ${title}`,
    "",
    `**When:** ${when}`,
    "",
    ...lines,
    "",
    `**Look at:** ${look}`,
    "",
    "**What goes wrong:**",
    "",
    ...wrong.map((w) => `- ${w}`),
    ...(picture === null ? [] : ["", `![${title}](screenshots/${picture}.png)`]),
    "",
  ].join("\n");
}

/** The guide as a page of Markdown: `docs/guide.md`. */
export const guideText = (): string =>
  [
    "# The guide",
    "",
    "Every action is also in the palette (`/`) and under a right click. In the app, `?` opens the keys and this guide.",
    "",
    ...CHAPTERS.map((c) => `- [${c.title}](#${c.title.toLowerCase().replaceAll(" ", "-")})`),
    "",
    ...CHAPTERS.map(chapterText),
  ].join("\n");
