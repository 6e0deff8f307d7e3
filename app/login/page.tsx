import type { Metadata } from "next";
import { Login } from "@/ui/frame/login";

export const metadata: Metadata = { title: "Log in" };

/** Of this server and no other: browsers read tabs, backslashes and double slashes in ways of their own. */
function ownPath(to: string): string {
  const here = "http://stemzo.invalid";
  const url = URL.canParse(to, here) ? new URL(to, here) : null;
  return url?.origin === here ? url.pathname + url.search : "/";
}

/** `to`: the path of this server that was asked for before. */
export default async function LoginPage({ searchParams }: { readonly searchParams: Promise<{ to?: string }> }) {
  const { to = "/" } = await searchParams;
  return <Login to={ownPath(to)} />;
}
