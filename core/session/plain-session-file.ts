import type { SessionFile } from "./document";

/** A session file with nothing chosen: what its schema fills in. */
export const plainSessionFile = (kind: SessionFile["kind"]): SessionFile => ({
  kind,
  print: "devices",
  printDepth: "24",
  curvedFades: "printed",
  mutedTracks: "left out",
  stereo: "one file",
  audio: "inside",
  folder: "",
  media: "whole files",
  handleSeconds: 2,
  frameRate: "25",
  startPictureFrames: 0,
});
