import { SCREENS, pathOf } from "../session/screens";
import type { ActionContext, ActionSpec } from "./action";
import { actionsOn } from "./action";

/** One action for each screen of a session. */
export const screenActions = actionsOn(
  (context: ActionContext) => context,
  SCREENS.map((screen): ActionSpec<ActionContext> => ({
    id: `go-${screen.name}`,
    group: "Go to",
    label: `Go to ${screen.name}`,
    key: screen.key,
    run: ({ open, session }) => open(pathOf(session.getState().id, screen.path)),
  })),
);
