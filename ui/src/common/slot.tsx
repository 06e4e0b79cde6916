// A slot of a sentence: opens a searchable list of the columns that fit, takes a dropped column, works by keyboard.
import { cx } from "./classes";
import { Command } from "cmdk";
import { useMemo, useRef, useState } from "react";
import type { Column } from "../client/api";
import { kindWords } from "./bits";
import { Pop } from "./pop";

export type SlotInfo = { kinds: string[]; placeholder: string; many: boolean };
/** "Reading room" inside a sentence is "reading room"; "pH" and "NDVI" stay. */
export function inSentence(words: string): string {
  return /^[A-Z][a-z]/.test(words) ? words.charAt(0).toLowerCase() + words.slice(1) : words;
}

/** Chosen columns in a few words: a block that stands together in the table by its ends, others by the first two. */
export function slotWords(chosen: string[], shown: string[], columns: Column[]): string {
  if (chosen.length <= 3) return shown.join(", ");
  const first = columns.findIndex((c) => c.name === chosen[0]);
  const block = chosen.every((name, i) => columns[first + i]?.name === name);
  if (block && first >= 0) return `${chosen[0]} … ${chosen[chosen.length - 1]}`;
  const names = shown.slice(0, 2).join(", ").length > 34 ? chosen : shown;
  return `${names.slice(0, 2).join(", ")} and ${names.length - 2} more`;
}

/** Columns that look like those chosen: of one kind, unit and list of levels; without levels, with one stem of their
 *  names. */
export function alike(columns: Column[], chosen: string[], slot: SlotInfo): string[] {
  const own = columns.filter((c) => chosen.includes(c.name));
  const sign = (c: Column) => JSON.stringify([c.kind, c.unit ?? null, (c.levels ?? []).map((l) => l.value)]);
  const stem = (c: Column) => c.name.replace(/\d+$/, "");
  const first = own[0];
  if (!first || !own.every((c) => sign(c) === sign(first))) return [];
  const others = columns.filter((c) => !chosen.includes(c.name) && fits(c, slot) && sign(c) === sign(first));
  const said = (first.levels ?? []).length > 0;
  const numbered = stem(first) !== first.name && stem(first) !== "";
  return others.filter((c) => said || (numbered && stem(c) === stem(first))).map((c) => c.name);
}

/** The click that takes all columns like those chosen. */
export function Alike(props: { like: string[]; chosen: string[]; add: (names: string[]) => void }) {
  const { like, chosen, add } = props;
  if (!chosen.length || !like.length) return null;
  return (
    <button type="button" className="link-quiet" title={like.join(", ")} onClick={() => add(like)}>
      And {like.length === 1 ? "the one" : `the ${like.length}`} like {chosen.length === 1 ? "it" : "these"}
    </button>
  );
}

/** Names from one place of a list to another, whichever comes first. */
export function between(list: string[], from: string, to: string): string[] {
  const [a, b] = [list.indexOf(from), list.indexOf(to)];
  return a < 0 || b < 0 ? [to] : list.slice(Math.min(a, b), Math.max(a, b) + 1);
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
  const words = slotWords(value, shown, columns);
  const add = (names: string[]) => set([...value, ...names.filter((n) => !value.includes(n))]);
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
            title={shown.join(", ")}
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
          add={slot.many ? add : undefined}
          like={slot.many ? alike(columns, value, slot) : []}
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
  add,
  like = [],
  clear,
  close,
}: {
  label: string;
  options: Option[];
  chosen: string[];
  many: boolean;
  choose: (name: string) => void;
  /** Takes several at once: a sweep with Shift, or those that look like the ones chosen. */
  add?: (names: string[]) => void;
  like?: string[];
  clear?: () => void;
  close: () => void;
}) {
  const [text, setText] = useState("");
  const sweep = useRef({ shift: false, last: "" });
  const pick = (name: string) => {
    const { shift, last } = sweep.current;
    sweep.current.last = name;
    if (shift && last && add)
      add(
        between(
          list.filter((o) => o.fits).map((o) => o.name),
          last,
          name,
        ),
      );
    else choose(name);
  };
  const list = useMemo(() => {
    const words = text.toLowerCase();
    const found = options.filter((o) => o.name.toLowerCase().includes(words) || o.title.toLowerCase().includes(words));
    return [...found.filter((o) => o.fits), ...found.filter((o) => !o.fits)].slice(0, 300);
  }, [text, options]);
  return (
    <Command
      label={`Search columns for ${label}`}
      shouldFilter={false}
      onKeyDown={(e) => {
        sweep.current.shift = e.shiftKey;
        if (e.key === "Tab") void (e.preventDefault(), close());
      }}
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
            onPointerDown={(e) => (sweep.current.shift = e.shiftKey)}
            onSelect={() => pick(o.name)}
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
        <p className="mt-1 flex flex-wrap items-baseline gap-x-2 px-2 text-sm">
          <button type="button" className="link-quiet" onClick={close}>
            Done
          </button>
          {add && <Alike like={like} chosen={chosen} add={add} />}
          <span className="muted text-xs">Shift takes a range</span>
        </p>
      )}
      {clear && (
        <button type="button" className="link-quiet mt-1 px-2 text-sm" onClick={clear}>
          Leave it empty
        </button>
      )}
    </Command>
  );
}
