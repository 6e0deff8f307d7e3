import type { Action } from "../actions/action";
import { playbackActions } from "../actions/playback-actions";
import { screenActions } from "../actions/screen-actions";
import { sessionActions } from "../actions/session-actions";
import { clipActions } from "../clips/clip-actions";
import { placeActions } from "../drawer/place-actions";
import { livePassActions } from "../slip/live-pass";
import { printActions, recipeActions } from "../slip/print-actions";
import { trackActions } from "../tracks/track-actions";
import { frameActions, signOutActions } from "./frame-actions";

/** Everything that can be done in a session: keys, the palette and the page of keys are made from it. */
export const ACTIONS: readonly Action[] = [
  ...screenActions,
  ...frameActions,
  ...playbackActions,
  ...sessionActions,
  ...printActions,
  ...livePassActions,
  ...trackActions,
  ...clipActions,
  ...placeActions,
];

/** Whether one comes in with a password here. */
const hasDoor = (): boolean => document.documentElement.dataset["door"] !== undefined;

/** All of them, with those of the recipes that are kept. */
export const actionsNow = (): readonly Action[] => [
  ...ACTIONS,
  ...recipeActions(),
  ...(hasDoor() ? signOutActions : []),
];
