// The units of a mixed model as chips in the sentence: a chip offers what it lies within, slopes, and whether levels
// and slopes are related.
import { Plus } from "lucide-react";
import { Fragment, useState } from "react";
import type { Column } from "../client/api";
import { ToggleChip, titleOf } from "../common/chips";
import { Pop } from "../common/pop";
import { ColumnList, fits, inSentence, optionsOf } from "../common/slot";
import { askOf, titleOf as nameOf, type AskProps } from "./ask";
import { Check } from "./simple";
import { asRandom, within, withSlope, words, type RandomTerm } from "./units";

export function UnitsSlot({ name, property, value, set, around, after }: AskProps) {
  const [open, setOpen] = useState(false);
  const ask = askOf(property);
  const label = nameOf(name, property);
  const { columns, spec } = around;
  const terms = asRandom(value);
  const slot = { kinds: ask.kinds ?? [], placeholder: ask.placeholder ?? "", many: true };
  const alone = terms.filter((t) => t.units.length === 1).map((t) => t.units[0]!);
  const choose = (n: string) =>
    set(
      alone.includes(n)
        ? terms.filter((t) => !(t.units.length === 1 && t.units[0] === n))
        : [...terms, { units: [n], slopes: [], intercept: true, related: true }],
    );
  const change = (i: number, next: RandomTerm | null) =>
    set(next ? terms.map((t, k) => (k === i ? next : t)) : terms.filter((_, k) => k !== i));
  return (
    <span className="inline">
      {terms.map((term, i) => (
        <Fragment key={i}>
          <UnitChip
            term={term}
            columns={columns}
            able={columns.filter((c) => fits(c, slot) && c.name !== spec.response)}
            numbers={columns.filter((c) => ask.numbers?.includes(c.kind) && c.name !== spec.response)}
            wrong={Boolean(around.wrong?.column && term.units.includes(around.wrong.column))}
            set={(next) => change(i, next)}
          />
          {i < terms.length - 2 ? ", " : i === terms.length - 2 ? " and " : " "}
        </Fragment>
      ))}
      <span className="whitespace-nowrap">
        <Pop
          open={open}
          set={setOpen}
          role="presentation"
          className="w-76 p-2 text-base"
          trigger={
            <button
              type="button"
              className={terms.length ? "btn btn-ghost btn-xs btn-square align-middle" : "slot empty"}
              data-slot={label}
              aria-haspopup="listbox"
              aria-label={terms.length ? "Add or take away units" : `${label}: choose ${slot.placeholder}`}
              title="Add or take away units"
            >
              {terms.length ? <Plus size={16} /> : slot.placeholder}
            </button>
          }
        >
          <ColumnList
            label={label}
            options={optionsOf(
              columns.filter((c) => c.name !== spec.response),
              slot,
            )}
            chosen={alone}
            many
            choose={choose}
            close={() => setOpen(false)}
          />
        </Pop>
        {after}
      </span>
    </span>
  );
}

function UnitChip({
  term,
  columns,
  able,
  numbers,
  wrong,
  set,
}: {
  term: RandomTerm;
  columns: Column[];
  able: Column[];
  numbers: Column[];
  wrong: boolean;
  set: (term: RandomTerm | null) => void;
}) {
  const [open, setOpen] = useState(false);
  const titled = (n: string) => inSentence(titleOf(n, columns));
  const title = words(term, titled);
  const own = term.units[term.units.length - 1]!;
  const slopes = term.slopes ?? [];
  const lost = [...term.units, ...slopes].some((n) => columns.length > 0 && !columns.some((c) => c.name === n));
  return (
    <Pop
      open={open}
      set={setOpen}
      label={`Units ${title}`}
      className="w-80 space-y-2.5 p-3 text-base"
      trigger={
        <button
          type="button"
          className={`slot term ${wrong || lost ? "wrong" : ""}`}
          data-units={term.units.join("*")}
          aria-label={`Units ${title}`}
          title={title}
          onKeyDown={(e) => (e.key === "Delete" || e.key === "Backspace") && set(null)}
        >
          {title}
        </button>
      }
    >
      <Group words={`${titleOf(own, columns)} is a unit within`}>
        {able
          .filter((c) => c.name !== own)
          .slice(0, 30)
          .map((c) => (
            <ToggleChip
              key={c.name}
              on={term.units.includes(c.name)}
              title={c.label ?? c.name}
              onClick={() => set(within(term, c.name))}
            >
              {c.label ?? c.name}
            </ToggleChip>
          ))}
      </Group>
      {numbers.length > 0 && (
        <Group words="Each has a slope of its own over">
          {numbers.slice(0, 20).map((c) => (
            <ToggleChip
              key={c.name}
              on={slopes.includes(c.name)}
              title={c.label ?? c.name}
              onClick={() => set(withSlope(term, c.name))}
            >
              {c.label ?? c.name}
            </ToggleChip>
          ))}
        </Group>
      )}
      {slopes.length > 0 && (
        <>
          <Check
            label="A level of its own too"
            value={term.intercept ?? true}
            set={(intercept) => set({ ...term, intercept })}
          />
          <Check
            label="Levels and slopes may go together"
            value={term.related ?? true}
            set={(related) => set({ ...term, related })}
          />
        </>
      )}
      <button type="button" className="link-quiet block text-[0.92rem]" onClick={() => (set(null), setOpen(false))}>
        Leave {title} out
      </button>
    </Pop>
  );
}

function Group({ words: said, children }: { words: string; children: React.ReactNode }) {
  return (
    <span className="block">
      <span className="muted mb-1 block text-[0.86rem]">{said}</span>
      <span className="flex max-h-40 flex-wrap gap-1.5 overflow-auto">{children}</span>
    </span>
  );
}
