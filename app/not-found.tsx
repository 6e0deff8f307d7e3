import Link from "next/link";

export default function NotFound() {
  return (
    <main className="mx-auto mt-32 max-w-md">
      <h1 className="text-2xl font-semibold">There is nothing at this address.</h1>
      <p className="mt-2 text-soft">
        The session may have another id. Everything that was saved is still in the list of sessions.
      </p>
      <Link href="/" className="mt-6 inline-block text-spot underline underline-offset-4">
        All sessions
      </Link>
    </main>
  );
}
