"use client";

import { Dialog } from "radix-ui";
import { useState } from "react";
import { create } from "zustand";
import { Button } from "../parts/button";

interface Repeat {
  readonly asked: { readonly name: string; readonly repeat: (times: number) => void } | null;
  close(): void;
}

const useRepeat = create<Repeat>()((set) => ({ asked: null, close: () => set({ asked: null }) }));

/** Asks how often the clips are to be repeated, and repeats them. */
export const askRepeat = (name: string, repeat: (times: number) => void): void =>
  useRepeat.setState({ asked: { name, repeat } });

const MOST_TIMES = 200;

export function RepeatDialog() {
  const { asked, close } = useRepeat();
  const [times, setTimes] = useState(4);
  return (
    <Dialog.Root open={asked !== null} onOpenChange={(open) => !open && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-50 bg-ink/20" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/3 left-1/2 z-50 w-80 -translate-x-1/2 border border-ink bg-lift p-4 text-ink shadow-[4px_4px_0_var(--rule)]"
        >
          <Dialog.Title className="font-semibold">Repeat {asked?.name}</Dialog.Title>
          <form
            className="mt-3 flex items-center gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              const typed = Number(new FormData(e.currentTarget).get("times"));
              const wanted = Math.max(1, Math.min(MOST_TIMES, Math.round(typed) || times));
              setTimes(wanted);
              asked?.repeat(wanted);
              close();
            }}
          >
            <input
              name="times"
              type="number"
              min={1}
              max={MOST_TIMES}
              defaultValue={times}
              autoFocus
              aria-label="How often"
              onFocus={(e) => e.target.select()}
              className="figure h-8 w-20 rounded-sm border border-rule bg-paper px-2 text-right hover:border-ink"
            />
            times, one behind the other
            <span className="flex-1" />
            <Button kind="main" type="submit" className="min-h-8">
              Repeat
            </Button>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
