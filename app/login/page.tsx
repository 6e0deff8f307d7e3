import type { Metadata } from "next";
import { Login } from "@/ui/frame/login";

export const metadata: Metadata = { title: "Log in" };

/** `to`: the path of this server that was asked for before. */
export default async function LoginPage({ searchParams }: { readonly searchParams: Promise<{ to?: string }> }) {
  const { to = "/" } = await searchParams;
  // Nowhere else: `//elsewhere` would be another server.
  return <Login to={/^\/(?![/\\])/.test(to) ? to : "/"} />;
}
