"use client";

export default function PageError({ reset }: { readonly reset: () => void }) {
  return (
    <main className="mx-auto mt-32 max-w-md">
      <h1 className="text-2xl font-semibold">This screen could not be drawn.</h1>
      <p className="mt-2 text-soft">Your session is stored and untouched.</p>
      <button type="button" onClick={reset} className="mt-6 text-spot underline underline-offset-4">
        Try again
      </button>
    </main>
  );
}
