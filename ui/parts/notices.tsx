"use client";

import { Toaster } from "sonner";

/** The foot of the Bench and of the sheet has the one button that matters: a notice must not lie on it. */
const ABOVE_THE_FOOT_PX = 208;

/** Where errors and news appear: above everything, read out by screen readers. */
export function Notices() {
  return (
    <Toaster
      position="bottom-right"
      offset={{ bottom: ABOVE_THE_FOOT_PX, right: 20 }}
      toastOptions={{
        unstyled: true,
        classNames: {
          toast:
            "w-[360px] rounded-sm border border-ink bg-lift text-ink px-4 py-3 shadow-[4px_4px_0_var(--rule)] font-sans text-[13px]",
          title: "font-semibold",
          description: "whitespace-pre-line text-soft mt-1",
          error: "border-wrong",
        },
      }}
    />
  );
}
