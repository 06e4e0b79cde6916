// A slot of a sentence: opens a searchable list of the columns that fit, takes a dropped column, works by keyboard.
import { cx } from "./classes";
import { Command } from "cmdk";
import { useMemo, useState } from "react";
import type { Column } from "../client/api";
import { kindWords } from "./bits";
import { Pop } from "./pop";

export type SlotInfo = { kinds: string[]; placeholder: string; many: boolean };
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
  const shown = value.map((v) => inSentence(columns.find((c) => c.name === v)?.label ?? v));
  const words = shown.length > 3 ? `${shown.slice(0, 2).join(", ")} and ${shown.length - 2} more` : shown.join(", ");
  const choose = (name: string) => {
    if (slot.many) set(value.includes(name) ? value.filter((v) => v !== name) : [...value, name]);
    else {
      set([name]);
      setOpen(false);
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
    <span onDragOver={(e) => (e.preventDefault(), setOver(true))} onDragLeave={() => setOver(false)} onDrop={drop}>
      <Pop
        open={open}
        set={setOpen}
        role="presentation"
        className="w-76 p-2 text-base"
        trigger={
          <button
            type="button"
            className={cx("slot", value.length ? "" : "empty", wrong ? "wrong" : "", over ? "over" : "")}
            data-slot={label}
            aria-haspopup="listbox"
            aria-label={`${label}: ${value.length ? words : `choose ${slot.placeholder}`}`}
            title={words}
            onKeyDown={(e) => {
              if (e.key === "ArrowDown") void (e.preventDefault(), setOpen(true));
              if ((e.key === "Delete" || e.key === "Backspace") && value.length) set([]);
            }}
          >
            {value.length ? words : slot.placeholder}
          </button>
        }
      >
        <ColumnList
          label={label}
          options={optionsOf(columns, slot)}
          chosen={value}
          many={slot.many}
          choose={choose}
          clear={value.length && !needed ? () => (set([]), setOpen(false)) : undefined}
          close={() => setOpen(false)}
        />
      </Pop>
    </span>
  );
}

/** Columns found by typing; those that do not fit say why. */
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
  const list = useMemo(() => {
    const words = text.toLowerCase();
    const found = options.filter((o) => o.name.toLowerCase().includes(words) || o.title.toLowerCase().includes(words));
    return [...found.filter((o) => o.fits), ...found.filter((o) => !o.fits)].slice(0, 300);
  }, [text, options]);
  return (
    <Command
      label={`Search columns for ${label}`}
      shouldFilter={false}
      onKeyDown={(e) => e.key === "Tab" && (e.preventDefault(), close())}
    >
      <Command.Input
        className="input input-sm mb-1 w-full"
        autoFocus
        placeholder="Search columns"
        value={text}
        onValueChange={setText}
      />
      <Command.List label={label} aria-multiselectable={many || undefined} className="max-h-72 overflow-auto">
        <Command.Empty className="muted px-2 py-1 text-sm">No column of that name</Command.Empty>
        {list.map((o) => (
          <Command.Item
            key={o.name}
            value={o.name}
            disabled={!o.fits}
            aria-checked={chosen.includes(o.name)}
            data-column={o.name}
            className={cx(
              "data-[selected=true]:bg-primary/12 flex items-baseline justify-between gap-3 rounded px-2 py-1",
              "text-[0.95rem]",
              o.fits ? "cursor-pointer" : "muted cursor-not-allowed",
            )}
            onSelect={() => choose(o.name)}
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
          </Command.Item>
        ))}
      </Command.List>
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
    </Command>
  );
}
