"use client";

import { useState } from "react";
import { Button } from "./button";

/** Asks for a word that lets in; says what `enter` answers where it does not. */
export function SecretForm({
  label,
  action,
  autoComplete,
  enter,
}: {
  readonly label: string;
  readonly action: string;
  readonly autoComplete: "current-password" | "off";
  /** Null where it let in, else why not. */
  readonly enter: (secret: string) => Promise<string | null>;
}) {
  const [secret, setSecret] = useState("");
  const [fault, setFault] = useState<string | null>(null);
  const [trying, setTrying] = useState(false);
  const submit = async () => {
    setTrying(true);
    setFault(await enter(secret));
    setTrying(false);
  };
  return (
    <form
      className="mt-5"
      onSubmit={(e) => {
        e.preventDefault();
        void submit();
      }}
    >
      <label className="block text-base">
        {label}
        <input
          type="password"
          autoComplete={autoComplete}
          autoFocus
          value={secret}
          onChange={(e) => setSecret(e.target.value)}
          className="mt-1 h-11 w-full rounded-sm border border-ink/60 bg-lift px-3 text-base"
        />
      </label>
      {fault !== null && (
        <p role="alert" className="mt-2 text-wrong">
          {fault}
        </p>
      )}
      <Button type="submit" kind="main" disabled={secret === "" || trying} className="mt-4 min-h-11 w-full text-base">
        {action}
      </Button>
    </form>
  );
}
