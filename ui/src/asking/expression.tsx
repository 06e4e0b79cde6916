// An expression with completion of columns and functions, and its mistake marked at its place.
import { cx } from "../common/classes";
import { useId, useRef, useState } from "react";
import type { Column } from "../client/api";
import { useCatalogue } from "../client/hooks";

/** Names that stand by themselves; others stand in backticks. */
const PLAIN = /^[A-Za-z_]\w*$/;

type Offer = { text: string; shown: string; help: string };

export function ExpressionInput({
  label,
  value,
  set,
  columns,
  position,
  enter,
}: {
  label: string;
  value: string;
  set: (v: string) => void;
  columns: Column[];
  position?: number | null;
  enter: () => void;
}) {
  const { data } = useCatalogue();
  const box = useRef<HTMLInputElement>(null);
  const [at, setAt] = useState(0);
  const [open, setOpen] = useState(false);
  const id = useId();
  const caret = box.current?.selectionStart ?? value.length;
  const word = wordBefore(value.slice(0, caret));
  const inQuotes = (value.slice(0, caret).match(/"/g)?.length ?? 0) % 2 === 1;
  const offers = open && !inQuotes ? offersFor(word, columns, data?.functions ?? []) : [];
  const choose = (offer: Offer) => {
    const start = caret - word.length;
    set(value.slice(0, start) + offer.text + value.slice(caret));
    setOpen(false);
    const end = start + offer.text.length - (offer.text.endsWith("()") ? 1 : 0);
    requestAnimationFrame(() => (box.current?.focus(), box.current?.setSelectionRange(end, end)));
  };
  const wrong = position !== null && position !== undefined;
  return (
    <span className="relative inline-block w-[34rem] max-w-full">
      <input
        ref={box}
        className={`input input-sm w-full font-mono ${wrong ? "input-error" : ""}`}
        role="combobox"
        aria-label={label}
        aria-expanded={offers.length > 0}
        aria-controls={id}
        aria-invalid={wrong}
        aria-autocomplete="list"
        spellCheck={false}
        autoCapitalize="off"
        placeholder={label === "Condition" ? 'consent == "yes"' : "minutes / 60"}
        value={value}
        onChange={(e) => (set(e.target.value), setOpen(true), setAt(0))}
        onBlur={() => setOpen(false)}
        aria-activedescendant={offers[at] ? `${id}-${at}` : undefined}
        onKeyDown={(e) => {
          if (offers.length && e.key === "ArrowDown") void (e.preventDefault(), setAt((at + 1) % offers.length));
          else if (offers.length && e.key === "ArrowUp")
            void (e.preventDefault(), setAt((at + offers.length - 1) % offers.length));
          else if (offers.length && e.key === "Tab" && offers[at]) void (e.preventDefault(), choose(offers[at]));
          else if (e.key === "Enter") void (e.preventDefault(), setOpen(false), enter());
          else if (offers.length && e.key === "Escape") void (e.stopPropagation(), setOpen(false));
        }}
      />
      {wrong && (
        <span aria-hidden="true" className="text-error block whitespace-pre pl-3 font-mono text-[0.86rem] leading-3">
          {" ".repeat(Math.min(position, 60))}▲
        </span>
      )}
      {offers.length > 0 && (
        <ul
          id={id}
          role="listbox"
          aria-label="Columns and functions"
          className="pop absolute left-0 z-40 mt-1 w-80 p-1 text-sm"
        >
          {offers.map((o, i) => (
            // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the combobox above has the keys
            <li
              key={o.text}
              id={`${id}-${i}`}
              role="option"
              aria-selected={i === at}
              className={cx(
                "flex cursor-pointer justify-between gap-3 rounded px-2 py-1",
                i === at ? "bg-primary/12" : "",
              )}
              onPointerDown={(e) => e.preventDefault()}
              onClick={() => choose(o)}
            >
              <span className="font-mono">{o.shown}</span>
              <span className="muted truncate text-xs">{o.help}</span>
            </li>
          ))}
        </ul>
      )}
    </span>
  );
}

/** The name that is being typed: within backticks all of it, else letters, digits and low lines of any alphabet. */
export function wordBefore(text: string): string {
  const quoted = /^[^`]*(?:`[^`]*`[^`]*)*(`[^`]*)$/.exec(text)?.[1];
  return quoted ?? /[\p{L}_][\p{L}\p{M}\p{N}_]*$/u.exec(text)?.[0] ?? "";
}

function offersFor(word: string, columns: Column[], functions: { [key: string]: string }[]): Offer[] {
  const start = word.replace(/^`/, "").toLowerCase();
  if (!start) return [];
  const names = columns
    .filter((c) => c.name.toLowerCase().startsWith(start) && c.name !== word)
    .map((c) => ({
      text: PLAIN.test(c.name) && !word.startsWith("`") ? c.name : `\`${c.name}\``,
      shown: c.name,
      help: c.label ?? "",
    }));
  const calls = functions
    .filter((f) => !word.startsWith("`") && f.name?.startsWith(start))
    .map((f) => ({ text: `${f.name}()`, shown: f.shape ?? "", help: f.help ?? "" }));
  return [...names, ...calls].slice(0, 7);
}
