"use client";

import { endingOf, isBeside, sessionKinds } from "../../core/interchange/kinds";
import type { SessionFile } from "../../core/session/document";
import { plainSessionFile } from "../../core/session/plain-session-file";
import { summaryOf } from "../../core/words/settings";
import { Button } from "../parts/button";
import { Floating } from "../parts/floating";
import { useSessionParts } from "../session/provider";
import { FileOptions } from "./file-options";

const KINDS = Object.keys(sessionKinds) as SessionFile["kind"][];

/** Session files of the package: which, and how the session is told in each. */
export function SessionFiles() {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const { sessionFiles } = session.sheet;
  const put = (label: string, files: readonly SessionFile[]) =>
    edit(label, [{ do: "set sheet", patch: { sessionFiles: files.map((f) => ({ ...f })) } }]);
  return (
    <section aria-labelledby="session-files">
      <h2 id="session-files" className="text-lg leading-tight font-semibold">
        Session files
      </h2>
      <p className="text-soft">The session for another program. What a file cannot hold is printed first and listed.</p>
      <ul className="mt-1.5 divide-y divide-rule border-y border-rule">
        {KINDS.map((kind) => {
          const { name, about, options } = sessionKinds[kind];
          const on = sessionFiles.find((f) => f.kind === kind);
          const order = (files: readonly SessionFile[]) => KINDS.flatMap((k) => files.find((f) => f.kind === k) ?? []);
          return (
            <li key={kind} className="grid grid-cols-[20px_minmax(0,1fr)_auto] items-start gap-x-2 py-1.5">
              <input
                id={`session-file-${kind}`}
                type="checkbox"
                aria-label={name}
                aria-describedby={`session-file-${kind}-about`}
                className="mt-0.5 size-4 accent-[var(--spot)]"
                checked={on !== undefined}
                onChange={(e) =>
                  put(
                    e.target.checked ? `Add ${name} to the package` : `Leave ${name} out of the package`,
                    e.target.checked
                      ? order([...sessionFiles, plainSessionFile(kind)])
                      : sessionFiles.filter((f) => f.kind !== kind),
                  )
                }
              />
              <label htmlFor={`session-file-${kind}`} className="min-w-0">
                <b className="font-medium">{name}</b>
                {on && <span className="figure ml-2 text-xs text-soft">{endingOf(on)}</span>}
                <span id={`session-file-${kind}-about`} className="block text-xs leading-snug text-soft">
                  {on && options.length > 0 ? summaryOf(on, isBeside(on)) : about}
                </span>
              </label>
              {on && options.length > 0 && (
                <Floating
                  label={`How the session is told in ${name}`}
                  side="left"
                  width={360}
                  trigger={<Button aria-label={`Options of ${name}`}>Options …</Button>}
                >
                  <FileOptions
                    file={on}
                    onChange={(patch) =>
                      put(
                        `Options of ${name}`,
                        sessionFiles.map((f) => (f.kind === kind ? { ...f, ...patch } : f)),
                      )
                    }
                  />
                </Floating>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
