"use client";

import { SecretForm } from "../parts/secret-form";
import { api, whyRefused } from "../session/api";

/** The door of a Stemzo that is open to others. */
export function Login({ to }: { readonly to: string }) {
  const enter = (password: string) =>
    api.login(password).then(() => {
      location.assign(to);
      return null;
    }, whyRefused);
  return (
    <main className="mx-auto grid min-h-full max-w-sm content-center px-6">
      <h1 className="text-[26px] leading-none font-bold tracking-tight">Stemzo</h1>
      <SecretForm label="Password" action="Come in" autoComplete="current-password" enter={enter} />
    </main>
  );
}
