"use client";

import { useCallback, useEffect, useState } from "react";
import type { ServiceFault } from "../../contract/job";
import type { Delivery } from "../../contract/link";
import { Button } from "../parts/button";
import { Refused, api } from "../session/api";
import { DeliveryPage } from "./delivery-page";

type State =
  | { readonly is: "looking" }
  | { readonly is: "there"; readonly delivery: Delivery }
  | { readonly is: "asked" }
  | { readonly is: "closed"; readonly fault: ServiceFault };

/** What a private link leads to: the delivery, the question for its passphrase, or why there is nothing. */
export function Receiver({ secret }: { readonly secret: string }) {
  const [state, setState] = useState<State>({ is: "looking" });
  const load = useCallback(
    () =>
      api.delivery(secret).then(
        (delivery) => setState({ is: "there", delivery }),
        (error: unknown) => {
          if (error instanceof Refused && error.status === 401) setState({ is: "asked" });
          else if (error instanceof Refused) setState({ is: "closed", fault: error.fault });
          else throw error;
        },
      ),
    [secret],
  );
  useEffect(() => void load(), [load]);
  if (state.is === "looking")
    return (
      <main aria-busy className="p-8 text-soft">
        Looking …
      </main>
    );
  if (state.is === "there") return <DeliveryPage secret={secret} delivery={state.delivery} />;
  if (state.is === "asked") return <Passphrase secret={secret} onIn={load} />;
  const { what, todo } = state.fault;
  return (
    <main className="mx-auto max-w-md px-6 pt-24">
      <h1 className="text-[26px] leading-tight font-bold tracking-tight">{what}</h1>
      <p className="mt-2 text-base text-soft">{todo}</p>
    </main>
  );
}

function Passphrase({ secret, onIn }: { readonly secret: string; readonly onIn: () => void }) {
  const [passphrase, setPassphrase] = useState("");
  const [fault, setFault] = useState<string | null>(null);
  const enter = () =>
    api.enterLink(secret, passphrase).then(onIn, (error: unknown) => {
      setFault(error instanceof Refused ? `${error.fault.what} ${error.fault.todo}` : "It cannot be reached.");
    });
  return (
    <main className="mx-auto max-w-sm px-6 pt-24">
      <h1 className="text-[26px] leading-tight font-bold tracking-tight">Something was sent to you</h1>
      <p className="mt-2 text-base text-soft">Its sender has told you a passphrase.</p>
      <form
        className="mt-5"
        onSubmit={(e) => {
          e.preventDefault();
          void enter();
        }}
      >
        <label className="block text-base">
          Passphrase
          <input
            type="password"
            autoComplete="off"
            autoFocus
            value={passphrase}
            onChange={(e) => setPassphrase(e.target.value)}
            className="mt-1 h-11 w-full rounded-sm border border-ink/60 bg-lift px-3 text-base"
          />
        </label>
        {fault !== null && (
          <p role="alert" className="mt-2 text-wrong">
            {fault}
          </p>
        )}
        <Button type="submit" kind="main" disabled={passphrase === ""} className="mt-4 min-h-11 w-full text-base">
          Open it
        </Button>
      </form>
    </main>
  );
}
