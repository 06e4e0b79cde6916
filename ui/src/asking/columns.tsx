// What speaks of columns, their levels and rows: one or several columns, sets of them, a level, another table, rows.
import type { Column } from "../client/api";
import { useContents, useTable } from "../client/hooks";
import { TakeAway, ToggleChip, titleOf as columnTitle } from "../common/chips";
import { asList } from "../common/lists";
import { KINDS } from "../common/bits";
import { Slot } from "../common/slot";
import { askOf, namesFor, titleOf, type AskProps } from "./ask";
import { Choice, Help, Labelled, useDraft } from "./simple";

/** A column of the table, or of the other table that a step speaks of: a slot in a sentence, a list among settings. */
export function ColumnAsk(props: AskProps) {
  const { name, property, value, set, around, bare } = props;
  const ask = askOf(property);
  if (bare) return <ColumnSlot {...props} />;
  const able = around.columns.filter((c) => !ask.kinds || ask.kinds.includes(c.kind));
  const lost = typeof value === "string" && !able.some((c) => c.name === value);
  return (
    <Choice
      label={titleOf(name, property)}
      help={ask.help}
      mark={{ "data-option": name }}
      value={typeof value === "string" ? value : ""}
      options={[
        ["", "none"],
        ...able.map((c): [string, string] => [c.name, c.label ?? c.name]),
        ...(lost ? [[value, `${value} (not there)`] as [string, string]] : []),
      ]}
      set={(v) => set(v || null)}
    />
  );
}

function ColumnSlot({ name, property, value, set, around, needed }: AskProps) {
  const ask = askOf(property);
  const theirs = !ask.sentence && ask.of ? String(around.spec[ask.of] ?? "") : "";
  const other = useTable(around.study ?? "", theirs || undefined);
  const columns = !ask.sentence && ask.of ? (other.data?.table?.columns ?? []) : around.columns;
  const many = ask.shown === "columns";
  const must = needed ?? property.default === undefined;
  const chosen = asList(value);
  const lost = ask.sentence && columns.length > 0 && chosen.some((v) => !columns.some((c) => c.name === v));
  const usual = many ? (must ? "columns" : "none") : must ? "a column" : "none";
  return (
    <Slot
      label={titleOf(name, property)}
      needed={must}
      slot={{ kinds: ask.kinds ?? [...KINDS], many, placeholder: ask.placeholder || usual }}
      columns={columns}
      value={chosen}
      set={(v) => set(many ? v : (v[0] ?? (property.default === undefined && !ask.sentence ? "" : null)))}
      wrong={lost || Boolean(around.wrong?.column && chosen.includes(around.wrong.column))}
    />
  );
}

/** Several columns: a slot in a sentence, chips among settings; with `auto` the method can find them itself. */
export function ColumnsAsk(props: AskProps) {
  const { name, property, value, set, around, bare } = props;
  const ask = askOf(property);
  if (bare) return <ColumnSlot {...props} />;
  const fitting = around.columns.filter((c) => !ask.kinds || ask.kinds.includes(c.kind)).map((c) => c.name);
  const able = ask.of ? namesFor(ask, around.spec) : fitting;
  const chosen = Array.isArray(value) ? (value as string[]) : [];
  if (!able.length) return null;
  return (
    <fieldset className="field w-full" data-option={name}>
      <legend>{titleOf(name, property)}</legend>
      <span className="flex flex-wrap gap-1.5">
        {ask.auto && (
          <ToggleChip on={value === "auto"} onClick={() => set(value === "auto" ? [] : "auto")}>
            {ask.auto}
          </ToggleChip>
        )}
        {able.map((n) => (
          <ToggleChip
            key={n}
            on={chosen.includes(n)}
            title={columnTitle(n, around.columns)}
            onClick={() => set(chosen.includes(n) ? chosen.filter((c) => c !== n) : [...chosen, n])}
          >
            {columnTitle(n, around.columns)}
          </ToggleChip>
        ))}
      </span>
      <Help>{ask.help}</Help>
    </fieldset>
  );
}

/** Sets of columns as chips: interactions, or the terms whose pairs are compared. */
export function SetsAsk({ name, property, value, set, around }: AskProps) {
  const ask = askOf(property);
  const names = namesFor(ask, around.spec);
  const titled = (n: string) => columnTitle(n, around.columns);
  const all = subsets(names).filter((s) => s.length > (ask.single ? 0 : 1));
  const key = (s: string[]) => [...s].sort().join("\u0001");
  const given =
    value === "all"
      ? all
      : Array.isArray(value)
        ? (value as string[][])
        : ask.single && value === null
          ? names.map((n) => [n])
          : [];
  const on = new Set(given.map(key));
  const toggle = (s: string[]) => {
    const next = all.filter((x) => (key(x) === key(s) ? !on.has(key(x)) : on.has(key(x))));
    set(!ask.single && next.length === all.length ? "all" : !ask.single && next.length === 0 ? "none" : next);
  };
  if (!all.length) return null;
  return (
    <fieldset className="field max-w-[34rem]" data-option={name}>
      <legend>{titleOf(name, property)}</legend>
      <span className="flex flex-wrap gap-1.5">
        {!ask.single &&
          names.map((n) => (
            <span key={n} className="chip muted !py-0.5" title="Main effects are always there">
              {titled(n)}
            </span>
          ))}
        {all.map((s) => (
          <ToggleChip key={key(s)} on={on.has(key(s))} onClick={() => toggle(s)}>
            {s.map(titled).join(" × ")}
          </ToggleChip>
        ))}
      </span>
      <Help>{ask.help}</Help>
    </fieldset>
  );
}

function subsets(names: string[]): string[][] {
  const found = names.reduce<string[][]>((sets, n) => [...sets, ...sets.map((s) => [...s, n])], [[]]);
  return found.filter((s) => s.length).sort((a, b) => a.length - b.length);
}

/** One level of the column in another slot; in a sentence the one that was taken is shown until another is chosen. */
export function LevelAsk({ name, property, value, set, around, bare }: AskProps) {
  const ask = askOf(property);
  const levels = around.levels?.(ask) ?? [];
  const title = titleOf(name, property);
  const chosen = typeof value === "string" ? value : bare ? (around.found?.[name] ?? "") : "";
  const lost = chosen && !levels.includes(chosen);
  const options: [string, string][] = [
    ...(bare && chosen ? [] : [["", bare ? `its ${title.toLowerCase()}` : "as it comes"] as [string, string]]),
    ...levels.map((l): [string, string] => [l, l]),
    ...(lost ? [[chosen, bare ? chosen : `${chosen} (not there)`] as [string, string]] : []),
  ];
  if (!bare)
    return (
      <Choice
        label={title}
        help={ask.help}
        mark={{ "data-option": name }}
        value={chosen}
        options={options}
        set={(v) => set(v || null)}
      />
    );
  return (
    <select
      className={`slot cursor-pointer ${chosen ? "" : "empty"}`}
      aria-label={title}
      data-slot={title}
      value={chosen}
      onChange={(e) => set(e.target.value || null)}
    >
      {options.map(([v, words]) => (
        <option key={v} value={v}>
          {words}
        </option>
      ))}
    </select>
  );
}

export function TableAsk({ name, property, value, set, around }: AskProps) {
  return (
    <TableField
      study={around.study ?? ""}
      table={around.table ?? ""}
      label={titleOf(name, property)}
      value={String(value ?? "")}
      set={set}
    />
  );
}

/** Another table of the study. */
export function TableField({
  study,
  table,
  label,
  value,
  set,
}: {
  study: string;
  table: string;
  label: string;
  value: string;
  set: (id: string) => void;
}) {
  const { data } = useContents(study);
  const tables = (data?.entries ?? []).filter((e) => e.type === "table" && e.id !== table);
  if (data && tables.length === 0) return <span className="muted">(the study has no other table yet)</span>;
  return (
    <select
      className="select select-sm w-auto max-w-72"
      aria-label={label}
      value={value}
      onChange={(e) => set(e.target.value)}
    >
      <option value="" disabled>
        another table
      </option>
      {tables.map((t) => (
        <option key={t.id} value={t.id}>
          {t.name} ({t.line})
        </option>
      ))}
    </select>
  );
}

export function RowsAsk({ name, property, value, set }: AskProps) {
  const rows = Array.isArray(value) ? (value as number[]) : [];
  const draft = useDraft(rows.join(", "), (text) => {
    const next = text
      .split(/[^0-9]+/)
      .filter(Boolean)
      .map(Number);
    set([...new Set(next)]);
  });
  return (
    <Labelled label={titleOf(name, property)} help={askOf(property).help}>
      <span className="flex items-center gap-1">
        <input
          className="input input-sm w-56"
          data-option={name}
          placeholder="row numbers, such as 3, 17"
          {...draft.props}
        />
        {rows.length > 0 && <TakeAway label="Compare with no rows left out" onClick={() => set([])} />}
      </span>
    </Labelled>
  );
}

/** Levels of a column as they are shown. */
export function levelsOf(columns: Column[], name: unknown): string[] {
  return (columns.find((c) => c.name === name)?.levels ?? []).map((l) => l.label ?? l.value);
}
