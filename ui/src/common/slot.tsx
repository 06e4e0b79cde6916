// A slot of a sentence: opens a searchable list of the columns that fit, takes a dropped column, works by keyboard.
import { cx } from "./classes";
import { useId, useMemo, useRef, useState } from "react";
import type { Column } from "../client/api";
import { keepInside, kindWords, useDismiss } from "./bits";

export type SlotInfo = {
  kinds: string[];
  placeholder: string;
  many: boolean;
  layout?: string | null;
  typed?: string[];
  terms?: boolean;
  numbers?: string[];
  models?: boolean;
};
/** "Reading room" inside a sentence is "reading room"; "pH" and "NDVI" stay. */
export function inSentence(words: string): string {
  return /^[A-Z][a-z]/.test(words) ? words.charAt(0).toLowerCase() + words.slice(1) : words;
}

type Option = { name: string; title: string; kind: string; fits: boolean; why: string };

export function fits(column: Column, slot: SlotInfo): boolean {
  return slot.kinds.includes(column.kind);
}

export function optionsOf(columns: Column[], slot: SlotInfo): Option[] {
  return columns.map((c) => ({
    name: c.name,
    title: c.label ? `${c.label}` : c.name,
    kind: c.kind,
    fits: fits(c, slot),
    why: fits(c, slot) ? "" : `${kindWords(c.kind)}: needs a ${slot.kinds.slice(0, 3).map(kindWords).join(" or ")}`,
  }));
}

export function Slot({
  label,
  slot,
  columns,
  value,
  set,
  wrong,
  needed = true,
}: {
  label: string;
  slot: SlotInfo;
  columns: Column[];
  value: string[];
  set: (value: string[]) => void;
  wrong?: boolean;
  needed?: boolean;
}) {
  const [open, setOpen] = useState(false);
  const [over, setOver] = useState(false);
  const box = useRef<HTMLSpanElement>(null);
  const button = useRef<HTMLButtonElement>(null);
  useDismiss(box, open, () => setOpen(false));
  const shown = value.map((v) => inSentence(columns.find((c) => c.name === v)?.label ?? v));
  const words = shown.length > 3 ? `${shown.slice(0, 2).join(", ")} and ${shown.length - 2} more` : shown.join(", ");
  const choose = (name: string) => {
    if (slot.many) set(value.includes(name) ? value.filter((v) => v !== name) : [...value, name]);
    else {
      set([name]);
      setOpen(false);
      button.current?.focus();
    }
  };
  const drop = (event: React.DragEvent) => {
    const name = event.dataTransfer.getData("text/yavik-column");
    const column = columns.find((c) => c.name === name);
    setOver(false);
    if (!column || !fits(column, slot)) return;
    event.preventDefault();
    if (!value.includes(name)) set(slot.many ? [...value, name] : [name]);
  };
  return (
    <span
      className="relative inline-block"
      ref={box}
      onDragOver={(e) => (e.preventDefault(), setOver(true))}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      <button
        ref={button}
        type="button"
        className={`slot ${value.length ? "" : "empty"} ${wrong ? "wrong" : ""} ${over ? "over" : ""}`}
        data-slot={label}
        aria-haspopup="listbox"
        aria-expanded={open}
        aria-label={`${label}: ${value.length ? words : `choose ${slot.placeholder}`}`}
        title={words}
        onClick={() => setOpen(!open)}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") void (e.preventDefault(), setOpen(true));
          if ((e.key === "Delete" || e.key === "Backspace") && value.length) set([]);
        }}
      >
        {value.length ? words : slot.placeholder}
      </button>
      {open && (
        <ColumnList
          label={label}
          options={optionsOf(columns, slot)}
          chosen={value}
          many={slot.many}
          choose={choose}
          clear={value.length && !needed ? () => (set([]), setOpen(false)) : undefined}
          close={() => (setOpen(false), button.current?.focus())}
        />
      )}
    </span>
  );
}

export function ColumnList({
  label,
  options,
  chosen,
  many,
  choose,
  clear,
  close,
}: {
  label: string;
  options: Option[];
  chosen: string[];
  many: boolean;
  choose: (name: string) => void;
  clear?: () => void;
  close: () => void;
}) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const id = useId();
  const list = useMemo(() => {
    const words = text.toLowerCase();
    const found = options.filter((o) => o.name.toLowerCase().includes(words) || o.title.toLowerCase().includes(words));
    return [...found.filter((o) => o.fits), ...found.filter((o) => !o.fits)];
  }, [text, options]);
  const able = list.filter((o) => o.fits);
  const current = able[Math.min(at, able.length - 1)];
  return (
    <span
      ref={keepInside}
      className="pop absolute left-0 top-full z-40 mt-1 block w-76 p-2 text-base font-normal leading-normal"
    >
      <input
        className="input input-sm mb-1 w-full"
        role="combobox"
        aria-expanded="true"
        aria-controls={id}
        aria-label={`Search columns for ${label}`}
        autoFocus
        placeholder="Search columns"
        aria-activedescendant={current ? `${id}-${current.name}` : undefined}
        value={text}
        onChange={(e) => (setText(e.target.value), setAt(0))}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") void (e.preventDefault(), setAt(Math.min(able.length - 1, at + 1)));
          else if (e.key === "ArrowUp") void (e.preventDefault(), setAt(Math.max(0, at - 1)));
          else if (e.key === "Enter" && current) void (e.preventDefault(), choose(current.name));
          else if (e.key === "Escape" || e.key === "Tab") void (e.stopPropagation(), close());
        }}
      />
      <ul
        id={id}
        role="listbox"
        aria-label={label}
        aria-multiselectable={many || undefined}
        className="max-h-72 overflow-auto"
      >
        {list.length === 0 && (
          <li className="muted px-2 py-1 text-sm" role="option" aria-selected="false" aria-disabled="true">
            No column of that name
          </li>
        )}
        {list.slice(0, 300).map((o) => (
          // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- keys are handled by the combobox above
          <li
            key={o.name}
            id={`${id}-${o.name}`}
            role="option"
            aria-selected={chosen.includes(o.name)}
            aria-disabled={!o.fits}
            data-column={o.name}
            className={cx(
              "flex items-baseline justify-between gap-3 rounded px-2 py-1 text-[0.95rem]",
              o === current ? "bg-primary/12" : "",
              o.fits ? "cursor-pointer" : "muted cursor-not-allowed",
            )}
            onClick={() => o.fits && choose(o.name)}
            onPointerMove={() => o.fits && setAt(able.indexOf(o))}
          >
            <span className={`truncate ${o.fits ? "" : "max-w-[55%] shrink-0"}`}>
              {many && (
                <span className="mr-2" aria-hidden="true">
                  {chosen.includes(o.name) ? "✓" : "\u2003"}
                </span>
              )}
              {o.title}
              {o.title !== o.name && <span className="muted ml-2 text-xs">{o.name}</span>}
            </span>
            <span className={`muted text-xs ${o.fits ? "shrink-0" : "truncate"}`} title={o.why || undefined}>
              {o.fits ? kindWords(o.kind) : o.why}
            </span>
          </li>
        ))}
      </ul>
      {many && (
        <button type="button" className="link-quiet mt-1 px-2 text-sm" onClick={close}>
          Done
        </button>
      )}
      {clear && (
        <button type="button" className="link-quiet mt-1 px-2 text-sm" onClick={clear}>
          Leave it empty
        </button>
      )}
    </span>
  );
}
