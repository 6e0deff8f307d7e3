import type { Delivery } from "../../contract/link";
import { byteText } from "../parts/bytes";

interface Props {
  /** Of the link, in front of its files. */
  readonly base: string;
  readonly delivery: Delivery;
}

/** The session files of a delivery, each with the list of what it carries. */
export function SessionFiles({ base, delivery }: Props) {
  return (
    <section aria-labelledby="session-files" className="mt-8">
      <h2 id="session-files" className="text-lg font-semibold">
        The session, for other programs
      </h2>
      <p className="text-soft">
        What a file could not hold was printed to audio first; a list beside each says what became of what.
      </p>
      <ul className="mt-2 divide-y divide-rule border-y border-rule">
        {delivery.sessionFiles.map((f) => (
          <li key={f.name} className="py-2">
            <div className="flex flex-wrap items-baseline gap-x-3">
              <a
                href={`${base}/files/${encodeURIComponent(f.name)}?save=1`}
                download
                className="figure min-h-6 truncate font-semibold text-spot underline underline-offset-2"
              >
                {f.name.replace(/^.*\//, "")}
              </a>
              <span className="text-xs text-soft">
                {f.kind} · {f.tracks} tracks · {f.clips} clips · {byteText(f.bytes)}
              </span>
            </div>
            <ul className="text-xs">
              {f.beside
                .filter((b) => b.name.endsWith(".txt"))
                .map((b) => (
                  <li key={b.name}>
                    <a
                      href={`${base}/files/${encodeURIComponent(b.name)}?save=1`}
                      download
                      className="text-spot underline underline-offset-2"
                    >
                      what it carries
                    </a>
                  </li>
                ))}
            </ul>
            {f.beside.some((b) => !b.name.endsWith(".txt")) && (
              <p className="text-xs text-soft">
                It finds {f.beside.filter((b) => !b.name.endsWith(".txt")).length} files of sound in a folder beside it:
                take the whole package, so that they come along.
              </p>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
