"use client";

import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex } from "@noble/hashes/utils.js";
import { useRef, useState } from "react";
import type { Delivery } from "../../contract/link";
import { Button } from "../parts/button";

type Outcome = { readonly name: string; readonly text: string; readonly right: boolean };

/** Digest of what streams past, and how much that was so far. */
async function digestOf(stream: ReadableStream<Uint8Array>, onBytes: (n: number) => void): Promise<string> {
  const hash = sha256.create();
  const reader = stream.getReader();
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return bytesToHex(hash.digest());
    hash.update(value);
    onBytes(value.length);
  }
}

/** Whether every byte arrived: of what lies here, or of what was taken already. */
export function Check({ base, delivery }: { readonly base: string; readonly delivery: Delivery }) {
  const [outcomes, setOutcomes] = useState<readonly Outcome[]>([]);
  const [doing, setDoing] = useState<{ readonly name: string; readonly part: number } | null>(null);
  const chooser = useRef<HTMLInputElement>(null);
  const promised = [...delivery.files, ...delivery.papers, ...delivery.sessionFiles.flatMap((f) => [f, ...f.beside])];

  const run = async (
    items: readonly { readonly name: string; readonly bytes: number; open(): Promise<ReadableStream<Uint8Array>> }[],
    judge: (name: string, digest: string) => Outcome,
  ) => {
    setOutcomes([]);
    const total = items.reduce((sum, i) => sum + i.bytes, 0);
    let done = 0;
    for (const item of items) {
      try {
        const digest = await digestOf(await item.open(), (n) => {
          done += n;
          setDoing({ name: item.name, part: done / total });
        });
        setOutcomes((before) => [...before, judge(item.name, digest)]);
      } catch (error) {
        const text = error instanceof Error ? error.message : "could not be read";
        setOutcomes((before) => [...before, { name: item.name, text, right: false }]);
      }
    }
    setDoing(null);
  };
  const checkHere = () =>
    run(
      promised.map(({ name, bytes }) => ({
        name,
        bytes,
        async open() {
          const response = await fetch(`${base}/files/${encodeURIComponent(name)}`);
          if (!response.ok || !response.body) throw new Error("could not be fetched");
          return response.body;
        },
      })),
      (name, digest) => {
        const right = promised.find((p) => p.name === name)?.sha256 === digest;
        return { name, right, text: right ? "as it was sent" : "not as it was sent" };
      },
    );
  const checkOwn = (files: readonly File[]) =>
    run(
      files.map((f) => ({ name: f.name, bytes: f.size, open: () => Promise.resolve(f.stream()) })),
      (name, digest) => {
        const found = promised.find((p) => p.sha256 === digest);
        if (!found) return { name, right: false, text: "is no file of this delivery, or did not arrive whole" };
        return { name, right: true, text: found.name === name ? "as it was sent" : `is ${found.name}, as it was sent` };
      },
    );
  const wrong = outcomes.filter((o) => !o.right);
  return (
    <section
      aria-labelledby="check"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        void checkOwn([...e.dataTransfer.files]);
      }}
    >
      <h2 id="check" className="text-lg font-semibold">
        Did everything arrive?
      </h2>
      <p className="text-soft">
        Every file has a fingerprint of its bytes. Drop what you took here, or choose it; it is read in this browser and
        sent nowhere.
      </p>
      <div className="mt-2 flex flex-wrap gap-2">
        <Button className="min-h-9" disabled={doing !== null} onClick={() => chooser.current?.click()}>
          Check the files I took
        </Button>
        <Button className="min-h-9" disabled={doing !== null} onClick={() => void checkHere()}>
          Check the files here
        </Button>
        <input
          ref={chooser}
          type="file"
          multiple
          aria-label="Downloaded files"
          className="sr-only"
          tabIndex={-1}
          onChange={(e) => {
            void checkOwn([...(e.target.files ?? [])]);
            e.target.value = "";
          }}
        />
      </div>
      <div role="status" className="mt-2">
        {doing && (
          <p>
            Reading <span className="figure">{doing.name}</span>,{" "}
            <span className="figure">{Math.round(doing.part * 100)}%</span>
          </p>
        )}
        {!doing && outcomes.length > 0 && (
          <p className={wrong.length > 0 ? "font-semibold text-wrong" : "font-semibold"}>
            {wrong.length > 0
              ? `${wrong.length} of ${outcomes.length} are not right.`
              : outcomes.length === 1
                ? "It is as it was sent."
                : `All ${outcomes.length} are as they were sent.`}
          </p>
        )}
      </div>
      <ul className="mt-1 text-xs">
        {outcomes
          .filter((o) => !o.right || outcomes.length <= 6)
          .map(({ name, text, right }) => (
            <li key={name} className={right ? "text-soft" : "text-wrong"}>
              <span className="figure">{name}</span>: {text}
            </li>
          ))}
      </ul>
    </section>
  );
}
