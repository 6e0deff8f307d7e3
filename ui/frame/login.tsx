"use client";

import { useState } from "react";
import { Button } from "../parts/button";
import { Refused, api } from "../session/api";

/** The door of a Stemzo that is open to others. */
export function Login({ to }: { readonly to: string }) {
  const [password, setPassword] = useState("");
  const [fault, setFault] = useState<string | null>(null);
  const [trying, setTrying] = useState(false);
  const enter = () => {
    setTrying(true);
    api.login(password).then(
      () => location.assign(to),
      (error: unknown) => {
        setTrying(false);
        setFault(error instanceof Refused ? `${error.fault.what} ${error.fault.todo}` : "It cannot be reached.");
      },
    );
  };
  return (
    <main className="mx-auto grid min-h-full max-w-sm content-center px-6">
      <h1 className="text-[26px] leading-none font-bold tracking-tight">Stemzo</h1>
      <form
        className="mt-5"
        onSubmit={(e) => {
          e.preventDefault();
          enter();
        }}
      >
        <label className="block text-base">
          Password
          <input
            type="password"
            autoComplete="current-password"
            autoFocus
            value={password}
            onChange={(e) => setPassword(e.target.value)}
            className="mt-1 h-11 w-full rounded-sm border border-ink/60 bg-lift px-3 text-base"
          />
        </label>
        {fault !== null && (
          <p role="alert" className="mt-2 text-wrong">
            {fault}
          </p>
        )}
        <Button
          type="submit"
          kind="main"
          disabled={password === "" || trying}
          className="mt-4 min-h-11 w-full text-base"
        >
          Come in
        </Button>
      </form>
    </main>
  );
}
