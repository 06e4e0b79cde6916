// Pairs of things that belong together: old and new values, a column and its label, keys of two tables.
import { TakeAway } from "../common/chips";
import { Plus } from "lucide-react";
import { useState } from "react";
import type { Column } from "../client/api";
import { useTable } from "../client/hooks";
import { askOf, titleOf, type AskProps, type Side } from "./ask";

type Pair = Record<string, string>;

export function Pairs({ name, property, value: given, set, around }: AskProps) {
  const ask = askOf(property);
  const { left, right } = ask;
  const value = Array.isArray(given) ? (given as Pair[]) : [];
  const other = ask.of ? String(around.spec[ask.of] ?? "") : "";
  const theirs = useTable(around.study ?? "", other || undefined).data?.table?.columns ?? [];
  const columns = around.columns;
  // One line is always open to be written in; it counts once something stands in it.
  const [open, setOpen] = useState<Pair>({});
  if (!left || !right) return null;
  const shown = [...value, open];
  const change = (i: number, side: Side, text: string) => {
    if (i < value.length) {
      set(value.map((p, k) => (k === i ? guess({ ...p, [side.field]: text }, side, left, right, theirs) : p)));
      return;
    }
    const next = guess({ ...open, [side.field]: text }, side, left, right, theirs);
    if (Object.values(next).some((v) => v.trim())) {
      set([...value, next]);
      setOpen({});
    } else setOpen(next);
  };
  const paste = (text: string, i: number) => {
    const rows = text
      .split(/\r?\n/)
      .map((l) => l.split("\t"))
      .filter((c) => c.length >= 2 && c[0]?.trim());
    if (!rows.length) return false;
    const fresh = rows.map((c) => ({ [left.field]: (c[0] ?? "").trim(), [right.field]: (c[1] ?? "").trim() }));
    set([...value.slice(0, i), ...fresh, ...value.slice(i + 1)]);
    return true;
  };
  return (
    <span
      className="inline-flex flex-col gap-1 align-top text-[0.95rem]"
      role="group"
      aria-label={titleOf(name, property)}
    >
      {shown.map((pair, i) => (
        <span
          key={i}
          className="inline-flex items-center gap-2"
          onPaste={(e) => paste(e.clipboardData.getData("text/plain"), i) && e.preventDefault()}
        >
          <Half
            side={left}
            n={i + 1}
            value={pair[left.field] ?? ""}
            set={(v) => change(i, left, v)}
            columns={columns}
            theirs={theirs}
          />
          <span className="muted" aria-hidden="true">
            {right.shown === "theirs" ? "=" : "→"}
          </span>
          <Half
            side={right}
            n={i + 1}
            value={pair[right.field] ?? ""}
            set={(v) => change(i, right, v)}
            columns={columns}
            theirs={theirs}
          />
          {i < value.length ? (
            <TakeAway label={`Take line ${i + 1} away`} onClick={() => set(value.filter((_, k) => k !== i))} />
          ) : (
            <Plus size={13} className="muted" aria-hidden="true" />
          )}
        </span>
      ))}
    </span>
  );
}

/** A key of the other table is guessed by its name. */
function guess(pair: Pair, changed: Side, left: Side, right: Side, theirs: Column[]): Pair {
  if (changed !== left || right.shown !== "theirs" || pair[right.field]) return pair;
  const name = (pair[left.field] ?? "").toLowerCase();
  const same = theirs.find((c) => c.name.toLowerCase() === name);
  return same ? { ...pair, [right.field]: same.name } : pair;
}

function Half({
  side,
  n,
  value,
  set,
  columns,
  theirs,
}: {
  side: Side;
  n: number;
  value: string;
  set: (v: string) => void;
  columns: Column[];
  theirs: Column[];
}) {
  const label = `${side.title}, line ${n}`;
  if (side.shown === "text")
    return (
      <input
        className="input input-sm w-52"
        aria-label={label}
        placeholder={side.title}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    );
  const list = side.shown === "theirs" ? theirs : columns;
  return (
    <select className="select select-sm w-44" aria-label={label} value={value} onChange={(e) => set(e.target.value)}>
      <option value="">{side.title}</option>
      {value && !list.some((c) => c.name === value) && <option value={value}>{value}</option>}
      {list.map((c) => (
        <option key={c.name} value={c.name}>
          {c.name}
        </option>
      ))}
    </select>
  );
}
