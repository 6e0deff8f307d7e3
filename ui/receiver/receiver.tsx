"use client";

import { useCallback, useEffect, useState } from "react";
import type { ServiceFault } from "../../contract/job";
import type { Delivery } from "../../contract/link";
import { SecretForm } from "../parts/secret-form";
import { Refused, api, whyRefused } from "../session/api";
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

function Passphrase({ secret, onIn }: { readonly secret: string; readonly onIn: () => Promise<void> }) {
  const enter = (passphrase: string) =>
    api.enterLink(secret, passphrase).then(async () => {
      await onIn();
      return null;
    }, whyRefused);
  return (
    <main className="mx-auto max-w-sm px-6 pt-24">
      <h1 className="text-[26px] leading-tight font-bold tracking-tight">Something was sent to you</h1>
      <p className="mt-2 text-base text-soft">You need the passphrase that its sender gave you.</p>
      <SecretForm label="Passphrase" action="Open it" autoComplete="off" enter={enter} />
    </main>
  );
}
