import { useBenchView } from "../timeline/view";

export function toggleTheme(): void {
  const next = document.documentElement.dataset["theme"] === "night" ? "day" : "night";
  document.documentElement.dataset["theme"] = next;
  localStorage.setItem("stemzo-theme", next);
  useBenchView.getState().inked();
}
