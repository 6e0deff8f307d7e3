import Link from "next/link";
import { CHAPTERS } from "./chapters";
import { howTo } from "./guide-text";

/** The user's guide: what people want to do, in the order in which they work. */
export function GuidePage() {
  return (
    <main className="mx-auto grid max-w-4xl grid-cols-[200px_minmax(0,1fr)] gap-x-10 px-6 py-12">
      <div className="col-span-2">
        <Link href="/" className="text-[13px] font-semibold text-spot underline underline-offset-4">
          All sessions
        </Link>
        <h1 className="mt-2 text-4xl font-bold tracking-tight">The guide</h1>
        <p className="mt-2 text-soft">
          Every action is also in the palette (<kbd className="figure">/</kbd>) and under a right click.
        </p>
      </div>
      <nav aria-label="Chapters" className="sticky top-6 mt-8 self-start">
        <ol className="space-y-1">
          {CHAPTERS.map((c) => (
            <li key={c.id}>
              <a href={`#${c.id}`} className="inline-flex min-h-6 items-center hover:underline">
                {c.title}
              </a>
            </li>
          ))}
        </ol>
      </nav>
      <div className="mt-8 space-y-10">
        {CHAPTERS.map((c) => (
          <section key={c.id} id={c.id} aria-labelledby={`${c.id}-title`} className="scroll-mt-6">
            <h2 id={`${c.id}-title`} className="border-b border-ink pb-1 text-2xl font-semibold tracking-tight">
              {c.title}
            </h2>
            <p className="mt-2 text-soft">{c.when}</p>
            <ol className="mt-3 list-decimal space-y-1 pl-5">
              {c.steps.map((step) => (
                <Step key={step.text} step={step} />
              ))}
            </ol>
            <p className="mt-3">
              <b className="font-semibold">Look at.</b> {c.look}
            </p>
            <ul className="mt-2 space-y-1 border-l-2 border-caution-rule pl-3">
              {c.wrong.map((w) => (
                <li key={w}>{w}</li>
              ))}
            </ul>
          </section>
        ))}
      </div>
    </main>
  );
}

function Step({ step }: { readonly step: (typeof CHAPTERS)[number]["steps"][number] }) {
  const how = howTo(step);
  return (
    <li>
      {step.text}
      {how && (
        <>
          : <b className="font-semibold">{how.label}</b>
          {how.key !== null && <kbd className="figure ml-2 text-xs text-ink">{how.key}</kbd>}
          {how.way !== null && <span className="ml-2 text-soft">{how.way}</span>}
        </>
      )}
    </li>
  );
}
