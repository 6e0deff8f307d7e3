"use client";

import { Plus, X } from "lucide-react";
import { useRef } from "react";
import { sayChip } from "../../core/delivery/naming";
import { planExport } from "../../core/delivery/plan";
import type { Chip, Session, Sheet } from "../../core/session/document";
import { PLAIN_FILE_NAME, PLAIN_FOLDER_NAME } from "../../core/session/plain-names";
import { Menu, MenuItem } from "../parts/menu";
import { useSessionParts } from "../session/provider";

const WORDS: Record<Chip["kind"], string> = {
  number: "order number",
  song: "song",
  stem: "stem",
  tempo: "tempo",
  key: "key",
  meter: "meter",
  rate: "rate",
  depth: "depth",
  version: "version",
  date: "date",
  text: "words of your own",
};
const OF_FOLDER = ["song", "tempo", "key", "meter", "rate", "depth", "version", "date", "text"] as const;
const OF_FILES = ["number", "stem", ...OF_FOLDER] as const;

/** How the folder and the files are called: chips in a row, and what comes of them. */
export function Names() {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const { sheet } = session;
  const set = (label: string, patch: Partial<Sheet>) => edit(label, [{ do: "set sheet", patch: patch as object }]);
  const plan = planExport(session, new Date());
  const names = plan.ok ? plan.value.files.map((f) => f.fileName) : [];
  const shown = names.slice(0, 6);
  const plain =
    JSON.stringify([sheet.folderName, sheet.fileName]) === JSON.stringify([PLAIN_FOLDER_NAME, PLAIN_FILE_NAME]);
  return (
    <div className="space-y-4">
      <Chips
        title="Folder"
        kinds={OF_FOLDER}
        chips={sheet.folderName}
        session={session}
        onChange={(folderName) => set("Name of the folder", { folderName })}
      />
      <Chips
        title="Files"
        kinds={OF_FILES}
        chips={sheet.fileName}
        session={session}
        onChange={(fileName) => set("Names of the files", { fileName })}
      />
      <div className="grid grid-cols-2 gap-3">
        <Word label="Key" value={sheet.key} hint="D minor" onCommit={(key) => set("Key", { key })} />
        <Word label="Version" value={sheet.version} hint="1" onCommit={(version) => set("Version", { version })} />
      </div>
      <section aria-label="Names as they will be">
        <h3 className="eyebrow">As it will be</h3>
        {plan.ok && plan.value.collided.length > 0 && (
          <p className="mt-1 text-xs text-caution" role="status">
            Several files would be called “{plan.value.collided.join("”, “")}”: all but the first get a number. A chip
            that tells them apart says more.
          </p>
        )}
        <p className="figure mt-1 text-xs font-semibold break-words">
          {plan.ok ? plan.value.folder : "nothing to export"}
        </p>
        <ul className="mt-1 space-y-0.5 pl-3">
          {shown.map((name) => (
            <li key={name} className="figure text-xs break-words">
              {name}
            </li>
          ))}
          {names.length > shown.length && <li className="text-xs text-soft">and {names.length - shown.length} more</li>}
        </ul>
      </section>
      {!plain && (
        <button
          type="button"
          onClick={() => set("Plain names", { folderName: [...PLAIN_FOLDER_NAME], fileName: [...PLAIN_FILE_NAME] })}
          className="min-h-6 font-semibold text-spot underline underline-offset-2"
        >
          Back to plain names
        </button>
      )}
    </div>
  );
}

function Chips({
  title,
  kinds,
  chips,
  session,
  onChange,
}: {
  readonly title: string;
  readonly kinds: readonly Chip["kind"][];
  readonly chips: readonly Chip[];
  readonly session: Session;
  readonly onChange: (chips: Chip[]) => void;
}) {
  const list = useRef<HTMLUListElement>(null);
  const known = { date: new Date(), stem: session.sheet.rows[0]?.name ?? "stem", number: "01" };
  const without = (at: number) => chips.filter((_, i) => i !== at).map((c) => ({ ...c }));
  const moved = (at: number, by: number) => {
    const rest = without(at);
    const to = Math.max(0, Math.min(rest.length, at + by));
    rest.splice(to, 0, { ...(chips[at] as Chip) });
    onChange(rest);
    // The focus goes with the chip, so that the next press moves the same one on.
    list.current?.querySelectorAll<HTMLElement>("[data-chip]")[to]?.focus();
  };
  return (
    <section aria-label={`Name of the ${title.toLowerCase()}`}>
      <h3 className="eyebrow">{title}</h3>
      <ul ref={list} className="mt-1 flex flex-wrap gap-1">
        {chips.map((chip, i) => (
          <li
            key={i}
            className="inline-flex min-h-7 items-center rounded-sm border border-ink/60 bg-lift pl-2 text-xs"
            title={`${WORDS[chip.kind]}. Arrow keys move it`}
          >
            {chip.kind === "text" ? (
              <input
                data-chip
                aria-label={`Words in the name of the ${title.toLowerCase()}`}
                value={chip.text}
                maxLength={60}
                size={Math.max(2, chip.text.length)}
                onKeyDown={(e) => e.stopPropagation()}
                onChange={(e) =>
                  onChange(chips.map((c, k) => ({ ...c, ...(k === i ? { text: e.target.value } : {}) })))
                }
                className="field-sizing-content min-w-4 bg-transparent outline-offset-1"
              />
            ) : (
              <button
                type="button"
                data-chip
                aria-label={`${WORDS[chip.kind]}, arrow keys move it`}
                onKeyDown={(e) => {
                  const by = e.key === "ArrowLeft" ? -1 : e.key === "ArrowRight" ? 1 : 0;
                  if (by === 0) return;
                  e.preventDefault();
                  e.stopPropagation();
                  moved(i, by);
                }}
                className="min-h-6"
              >
                {sayChip(chip, session, known) || <i className="text-soft">{WORDS[chip.kind]}</i>}
              </button>
            )}
            <button
              type="button"
              aria-label={`Take ${chip.kind === "text" ? `“${chip.text}”` : WORDS[chip.kind]} out of the name`}
              onClick={() => onChange(without(i))}
              className="grid size-6 place-items-center text-soft hover:text-ink"
            >
              <X size={11} aria-hidden />
            </button>
          </li>
        ))}
        <li>
          <Menu
            label={`Add to the name of the ${title.toLowerCase()}`}
            trigger={
              <button
                type="button"
                aria-label={`Add to the name of the ${title.toLowerCase()}`}
                className="grid size-7 place-items-center rounded-sm border border-dashed border-ink/60 hover:border-ink"
              >
                <Plus size={13} aria-hidden />
              </button>
            }
          >
            {kinds.map((kind) => (
              <MenuItem
                key={kind}
                disabled={chips.length >= 12}
                onSelect={() =>
                  onChange([...chips.map((c) => ({ ...c })), { kind, text: kind === "text" ? "words" : "" }])
                }
              >
                {WORDS[kind]}
                <span className="figure text-xs text-soft">{sayChip({ kind, text: "" }, session, known)}</span>
              </MenuItem>
            ))}
          </Menu>
        </li>
      </ul>
    </section>
  );
}

function Word({
  label,
  value,
  hint,
  onCommit,
}: {
  readonly label: string;
  readonly value: string;
  readonly hint: string;
  readonly onCommit: (value: string) => void;
}) {
  return (
    <label className="block">
      <span className="eyebrow">{label}</span>
      <input
        defaultValue={value}
        key={value}
        maxLength={20}
        placeholder={hint}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") e.currentTarget.blur();
        }}
        onBlur={(e) => {
          if (e.target.value !== value) onCommit(e.target.value.trim());
        }}
        className="mt-0.5 h-7 w-full rounded-sm border border-rule bg-lift px-2 text-[13px] hover:border-ink"
      />
    </label>
  );
}
