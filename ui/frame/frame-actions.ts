import type { Frames } from "../../core/units";
import { missingAssets } from "../../core/session/supply";
import { actionsOn, type Action, type ActionContext } from "../actions/action";
import { chooseFiles } from "../import/store";
import { choose } from "../intake/gather";
import { useIntake } from "../intake/store";
import { api } from "../session/api";
import { useSideSheet } from "../side/store";
import { useBenchSettings } from "../timeline/settings";
import { shownView, useBenchView, xOf } from "../timeline/view";
import { useDialogs } from "./dialogs";
import { toggleTheme } from "./theme";

const side = useSideSheet.getState;

/** Zooms around the playhead where it is seen, else around the middle of what is. */
function zoomBy(factor: number, playhead: Frames): void {
  const bench = useBenchView.getState();
  const x = xOf(shownView(bench), playhead);
  bench.zoom(factor, x >= 0 && x <= bench.width ? x : undefined);
}

function openImport({ session, playback, open }: ActionContext): void {
  const { id, session: document } = session.getState();
  const frame = Math.round(playback.getState().position());
  useIntake.getState().begin({ id, name: document.name, frame, rate: document.rate });
  open("/intake");
}

function nextRowHeight(): void {
  const { rows, change } = useBenchSettings.getState();
  change({ rows: rows === "low" ? "middle" : rows === "middle" ? "tall" : "low" });
}

const asIs = (context: ActionContext) => context;

/** What can be reached from every screen of a session. */
export const frameActions = actionsOn(asIs, [
  { id: "bring-in", group: "Session", label: "Import audio or MIDI", key: "Ctrl+I", run: chooseFiles },
  {
    id: "take-in",
    group: "Session",
    label: "Import a session, stems or ZIP",
    key: "Ctrl+Shift+I",
    run: openImport,
  },
  {
    id: "supply",
    group: "Session",
    label: "Relink missing files",
    key: null,
    blocked: ({ session }) =>
      missingAssets(session.getState().session).length > 0 ? null : "Nothing is missing in this session.",
    run: ({ session }) => choose("files", (files) => void session.getState().supply(files.map((f) => f.file))),
  },
  {
    id: "zoom-in",
    group: "View",
    label: "Zoom in",
    key: "+",
    run: ({ playback }) => zoomBy(1.5, playback.getState().position()),
  },
  {
    id: "zoom-out",
    group: "View",
    label: "Zoom out",
    key: "-",
    run: ({ playback }) => zoomBy(1 / 1.5, playback.getState().position()),
  },
  { id: "fit", group: "View", label: "Fit the whole session", key: "0", run: () => useBenchView.getState().fit() },
  { id: "rows", group: "View", label: "Track height", key: "H", run: nextRowHeight },
  {
    id: "tempo",
    group: "Session",
    label: "Tempo and meter",
    key: null,
    run: () => useDialogs.getState().show("tempo"),
  },
  { id: "history", group: "Session", label: "History and versions", key: "Y", run: () => side().open("history") },
  {
    id: "name-version",
    group: "Session",
    label: "Name this point as a version",
    key: "Shift+Y",
    run: () => side().open("history", true),
  },
  {
    id: "results",
    group: "Session",
    label: "Prints and exports",
    key: "U",
    run: () => side().open("results"),
  },
  {
    id: "phrases",
    group: "Session",
    label: "Phrases, and where they are placed",
    key: "Shift+U",
    run: () => side().open("phrases"),
  },
  { id: "loudness", group: "Session", label: "Loudness meter", key: "J", run: () => side().open("loudness") },
  { id: "theme", group: "View", label: "Day or night theme", key: "N", run: toggleTheme },
  {
    id: "running",
    group: "Session",
    label: "System status",
    key: null,
    run: ({ open }) => open("/running"),
  },
  { id: "keys", group: "Help", label: "All keys", key: "?", run: () => useDialogs.getState().show("keys") },
  { id: "palette", group: "Help", label: "Find an action", key: "/", run: () => useDialogs.getState().show("palette") },
]);

/** Where one comes in with a password. */
export const signOutActions: readonly Action[] = actionsOn(asIs, [
  {
    id: "sign-out",
    group: "Session",
    label: "Sign out on all devices",
    key: null,
    run: ({ open, warn }) =>
      void api.logout().then(
        () => open("/login"),
        () => warn("The server cannot be reached: you are still signed in."),
      ),
  },
]);
