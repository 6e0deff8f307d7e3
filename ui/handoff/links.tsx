"use client";

import { Copy } from "lucide-react";
import { useCallback, useEffect, useState } from "react";
import { toast } from "sonner";
import type { Link } from "../../contract/link";
import { Button } from "../parts/button";
import { NumberField } from "../parts/number-field";
import { Refused, api } from "../session/api";
import { useFirstSteps } from "../session/first-steps";
import { dayText, whenText } from "../parts/dates";

const failed = (error: unknown) =>
  void toast.error(
    error instanceof Refused ? `${error.fault.what} ${error.fault.todo}` : "The links cannot be reached.",
  );

const FIELD = "h-7 rounded-sm border border-rule bg-lift px-2 text-[13px] hover:border-ink";

/** Private links to one handoff: making them, closing them, and what was fetched through each. */
export function Links({ handoff }: { readonly handoff: string }) {
  const [links, setLinks] = useState<readonly Link[] | null>(null);
  const [made, setMade] = useState<{ readonly id: string; readonly address: string } | null>(null);
  const load = useCallback(() => api.links(handoff).then(setLinks, failed), [handoff]);
  useEffect(() => void load(), [load]);
  return (
    <div className="mt-2 border-t border-rule pt-2">
      <NewLink
        handoff={handoff}
        onMade={(id, path) => {
          useFirstSteps.getState().tick("deliver");
          setMade({ id, address: `${location.origin}${path}` });
          void load();
        }}
      />
      {made && <MadeLink address={made.address} />}
      <ul className="mt-2 space-y-1.5">
        {(links ?? []).map((link) => (
          <LinkLine key={link.id} link={link} onRevoke={() => void api.revokeLink(link.id).then(load, failed)} />
        ))}
      </ul>
    </div>
  );
}

function NewLink({
  handoff,
  onMade,
}: {
  readonly handoff: string;
  readonly onMade: (id: string, path: string) => void;
}) {
  const [name, setName] = useState("");
  const [days, setDays] = useState(14);
  const [passphrase, setPassphrase] = useState("");
  const [most, setMost] = useState(0);
  const make = () => {
    const link = {
      name: name.trim(),
      days,
      passphrase: passphrase === "" ? null : passphrase,
      mostDownloads: most === 0 ? null : most,
    };
    api.makeLink(handoff, link).then((answer) => {
      setName("");
      setPassphrase("");
      onMade(answer.link.id, answer.path);
    }, failed);
  };
  return (
    <form
      className="flex flex-wrap items-end gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        make();
      }}
      onKeyDown={(e) => e.stopPropagation()}
    >
      <label className="min-w-28 flex-1">
        <span className="eyebrow block">A link for</span>
        <input
          data-control="link"
          value={name}
          onChange={(e) => setName(e.target.value)}
          placeholder="who gets it"
          maxLength={120}
          className={`${FIELD} w-full`}
        />
      </label>
      <label>
        <span className="eyebrow block">Days</span>
        <NumberField label="Days" value={days} min={1} max={366} digits={0} className="h-7 w-12" onCommit={setDays} />
      </label>
      <label>
        <span className="eyebrow block" title="Downloads at most; 0: any number">
          At most
        </span>
        <NumberField
          label="Downloads at most, 0 for any number"
          value={most}
          min={0}
          max={10000}
          digits={0}
          className="h-7 w-14"
          onCommit={setMost}
        />
      </label>
      <label>
        <span className="eyebrow block">Passphrase</span>
        <input
          value={passphrase}
          onChange={(e) => setPassphrase(e.target.value)}
          placeholder="none"
          minLength={6}
          maxLength={200}
          className={`${FIELD} w-24`}
        />
      </label>
      <Button type="submit" kind="main" disabled={name.trim() === "" || (passphrase !== "" && passphrase.length < 6)}>
        Make link
      </Button>
    </form>
  );
}

function MadeLink({ address }: { readonly address: string }) {
  return (
    <p className="mt-2 border border-spot bg-spot-wash px-2 py-1.5 text-xs" role="status">
      Copy it now: it is not kept here, and is not shown again.
      <span className="mt-1 flex items-center gap-1">
        <input
          readOnly
          aria-label="Address of the link"
          value={address}
          onFocus={(e) => e.target.select()}
          className="figure h-7 min-w-0 flex-1 rounded-sm border border-rule bg-lift px-2"
        />
        <Button
          onClick={() =>
            void navigator.clipboard.writeText(address).then(
              () => toast("The address is copied."),
              () => toast.error("It could not be copied: mark it and copy it by hand."),
            )
          }
        >
          <Copy size={13} aria-hidden /> Copy
        </Button>
      </span>
    </p>
  );
}

function LinkLine({ link, onRevoke }: { readonly link: Link; readonly onRevoke: () => void }) {
  const isOpen = link.revokedAt === null && new Date(link.expiresAt) > new Date();
  const limit = link.mostDownloads === null ? "" : ` of ${link.mostDownloads}`;
  const state = link.revokedAt ? "revoked" : isOpen ? `open until ${dayText(link.expiresAt)}` : "expired";
  return (
    <li className="text-xs">
      <p className="flex items-baseline gap-2">
        <b className={isOpen ? "font-semibold" : "font-semibold text-soft"}>{link.name}</b>
        <span className="text-soft">
          {state}
          {link.hasPassphrase ? ", with a passphrase" : ""} · fetched {link.downloads}
          {limit} {link.downloads === 1 && limit === "" ? "time" : "times"}
        </span>
        {isOpen && (
          <button
            type="button"
            aria-label={`Revoke the link for ${link.name}`}
            onClick={onRevoke}
            className="ml-auto min-h-6 font-semibold text-spot underline underline-offset-2"
          >
            Revoke link
          </button>
        )}
      </p>
      {link.fetches.slice(0, 5).map((f, i) => (
        <p key={i} className="flex gap-2 pl-3 text-soft">
          <span className="figure shrink-0">{whenText(f.at)}</span>
          <span className="figure truncate">{f.what}</span>
        </p>
      ))}
      {link.fetches.length > 5 && <p className="pl-3 text-soft">and {link.fetches.length - 5} more</p>}
    </li>
  );
}
