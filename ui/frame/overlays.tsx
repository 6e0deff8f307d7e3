"use client";

import { RepeatDialog } from "../clips/repeat";
import { ImportDialog } from "../import/import-dialog";
import { SideSheet } from "../side/side-sheet";
import { KeysPage } from "./keys-page";
import { Palette } from "./palette";

/** What opens over every screen. It is made when the page answers already. */
export function Overlays() {
  return (
    <>
      <Palette />
      <SideSheet />
      <RepeatDialog />
      <ImportDialog />
      <KeysPage />
    </>
  );
}
