import { keyText } from "../actions/action";
import { wayTo } from "../frame/menus";
import { ACTIONS } from "../frame/registry";
import type { Chapter, GuideStep } from "./chapters";
import { CHAPTERS } from "./chapters";

const byId = new Map(ACTIONS.map((a) => [a.id, a]));

/** The action of a step with its key, and the menu it stands in; null: the step is done by hand. */
export function howTo({ action: id }: GuideStep): { readonly label: string; readonly ways: readonly string[] } | null {
  const action = id === undefined ? undefined : byId.get(id);
  if (!action) return null;
  const way = wayTo(action.id);
  const ways = [...(action.key === null ? [] : [keyText(action.key)]), ...(way ? [way] : [])];
  return { label: action.label, ways: ways.length > 0 ? ways : ["in the palette"] };
}

function chapterText({ title, when, steps, look, wrong, picture }: Chapter): string {
  const lines = steps.map((step, i) => {
    const how = howTo(step);
    const ways =
      how && how.ways.length > 0 ? ` (${how.ways.map((w, k) => (k === 0 ? `\`${w}\`` : w)).join(", ")})` : "";
    return `${i + 1}. ${step.text}${how ? `: *${how.label}*${ways}` : ""}.`;
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
