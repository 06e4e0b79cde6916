// The terms of a model as chips in the sentence: a chip offers its powers, interactions, reference level and unit.
import { Plus } from "lucide-react";
import { Fragment, useState } from "react";
import type { Column } from "../client/api";
import { LevelOptions } from "../common/chips";
import { asList } from "../common/lists";
import { Pop } from "../common/pop";
import { ColumnList, fits, inSentence, optionsOf, type SlotInfo } from "../common/slot";
import { askOf, titleOf as nameOf, type AskProps } from "./ask";
import { asTerms, isCategory, keyOf, namesOf, power, titleOf, withTerms, without, type Term } from "./terms";

type Spec = Record<string, unknown>;

export function TermsSlot({ name, property, around, after }: AskProps) {
  const { columns, spec } = around;
  const ask = askOf(property);
  const label = nameOf(name, property);
  const slot = { kinds: ask.kinds ?? [], placeholder: ask.placeholder ?? "", many: true, numbers: ask.numbers ?? [] };
  const setSpec = (next: Spec) => around.setSpec?.(next);
  const wrong = around.wrong?.column;
  const response = asList(spec.response)[0];
  // While columns are being picked they wait: all of them go in at once, as one round.
  const [picked, setPicked] = useState<Term[] | null>(null);
  const adding = picked !== null;
  const terms = picked ?? asTerms(spec.terms);
  const [over, setOver] = useState(false);
  const set = (next: Term[]) => setSpec(withTerms(spec, next));
  const close = () => {
    if (picked !== null && JSON.stringify(picked) !== JSON.stringify(asTerms(spec.terms))) set(picked);
    setPicked(null);
  };
  const mains = terms.filter((t): t is string => typeof t === "string");
  const choose = (name: string) => setPicked(mains.includes(name) ? without(terms, name) : [...terms, name]);
  const drop = (event: React.DragEvent) => {
    const name = event.dataTransfer.getData("text/yavik-column");
    const column = columns.find((c) => c.name === name);
    setOver(false);
    if (!column || !fits(column, slot) || mains.includes(name)) return;
    event.preventDefault();
    set([...terms, name]);
  };
  const offered = columns.filter((c) => c.name !== response);
  return (
    <span
      className="inline"
      onDragOver={(e) => (e.preventDefault(), setOver(true))}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      {terms.map((term, i) => (
        <Fragment key={keyOf(term)}>
          <span className="whitespace-nowrap">
            <TermChip
              term={term}
              terms={terms}
              columns={columns}
              slot={slot}
              spec={spec}
              set={set}
              setSpec={setSpec}
              wrong={Boolean(wrong && namesOf(term).includes(wrong))}
            />
            {i < terms.length - 2 && ","}
          </span>
          {i === terms.length - 2 ? " and " : " "}
        </Fragment>
      ))}
      <span className="whitespace-nowrap">
        <Pop
          open={adding}
          set={(to) => (to ? setPicked(asTerms(spec.terms)) : close())}
          role="presentation"
          className="w-76 p-2 text-base"
          trigger={
            <button
              type="button"
              className={
                terms.length
                  ? `btn btn-ghost btn-xs btn-square align-middle ${over ? "btn-active" : ""}`
                  : `slot empty ${over ? "over" : ""}`
              }
              data-slot={label}
              aria-haspopup="listbox"
              aria-label={terms.length ? "Add or take away columns" : `${label}: choose ${slot.placeholder}`}
              title="Add or take away columns"
            >
              {terms.length ? <Plus size={16} /> : slot.placeholder}
            </button>
          }
        >
          <ColumnList
            label={label}
            options={optionsOf(offered, slot)}
            chosen={mains}
            many
            choose={choose}
            close={close}
          />
        </Pop>
        {after}
      </span>
    </span>
  );
}

function TermChip({
  term,
  terms,
  columns,
  slot,
  spec,
  set,
  setSpec,
  wrong,
}: {
  term: Term;
  terms: Term[];
  columns: Column[];
  slot: SlotInfo & { numbers: string[] };
  spec: Spec;
  set: (t: Term[]) => void;
  setSpec: (s: Spec) => void;
  wrong: boolean;
}) {
  const [open, setOpen] = useState(false);
  const title = titleOf(term, columns, inSentence);
  const lost = namesOf(term).some((n) => columns.length > 0 && !columns.some((c) => c.name === n));
  const done = (next: Term[]) => (set(next), setOpen(false));
  return (
    <Pop
      open={open}
      set={setOpen}
      label={`Term ${title}`}
      className="w-80 space-y-2.5 p-3 text-base"
      trigger={
        <button
          type="button"
          className={`slot term ${wrong || lost ? "wrong" : ""}`}
          data-term={keyOf(term)}
          aria-label={`Term ${title}`}
          title={title}
          onKeyDown={(e) => (e.key === "Delete" || e.key === "Backspace") && set(without(terms, term))}
        >
          {title}
        </button>
      }
    >
      <Choices
        term={term}
        terms={terms}
        columns={columns}
        numbers={slot.numbers}
        spec={spec}
        done={done}
        setSpec={setSpec}
      />
      <button type="button" className="link-quiet block text-[0.92rem]" onClick={() => done(without(terms, term))}>
        Leave {title} out
      </button>
    </Pop>
  );
}

function Choices({
  term,
  terms,
  columns,
  numbers,
  spec,
  done,
  setSpec,
}: {
  term: Term;
  terms: Term[];
  columns: Column[];
  numbers: string[];
  spec: Spec;
  done: (t: Term[]) => void;
  setSpec: (s: Spec) => void;
}) {
  const has = (t: Term) => terms.some((x) => keyOf(x) === keyOf(t));
  if (typeof term === "object" && "interaction" in term) return null;
  const name = typeof term === "string" ? term : term.column;
  const column = columns.find((c) => c.name === name);
  const coded = isCategory(column, numbers);
  const base = inSentence(column?.label ?? name);
  const highest = Math.max(
    1,
    ...terms.map((t) => (typeof t === "object" && "column" in t && t.column === name ? t.power : 1)),
  );
  const others = terms.filter((t): t is string => typeof t === "string" && t !== name);
  const mixed = others.map((o) => ({ interaction: [name, o] })).filter((t) => !has(t));
  const reference = (spec.reference ?? {}) as Record<string, string>;
  return (
    <>
      {coded ? (
        <>
          <label className="field block">
            <span>Levels are compared with</span>
            <select
              className="select select-sm w-full"
              value={reference[name] ?? ""}
              onChange={(e) => setSpec({ ...spec, reference: { ...reference, [name]: e.target.value } })}
              data-reference={name}
            >
              {!reference[name] && <option value="">the first level</option>}
              <LevelOptions column={column} />
            </select>
          </label>
          <small className="muted block">A category has no powers: its levels already have an estimate each.</small>
        </>
      ) : (
        highest < 5 && (
          <button
            type="button"
            className="btn btn-sm w-full justify-start"
            data-add-power={highest + 1}
            onClick={() => done([...terms, { column: name, power: highest + 1 }])}
          >
            Add {base}
            {power(highest + 1)}: {highest === 1 ? "one bend" : "another bend"}
          </button>
        )
      )}
      {typeof term === "string" && mixed.length > 0 && (
        <span className="block">
          <span className="muted mb-1 block text-[0.86rem]">Interaction: what {base} does depends on</span>
          <span className="flex max-h-40 flex-wrap gap-1.5 overflow-auto">
            {mixed.map((t) => (
              <button key={keyOf(t)} type="button" className="chip !py-0.5" onClick={() => done([...terms, t])}>
                {titleOf(t.interaction[1] ?? "", columns, inSentence)}
              </button>
            ))}
          </span>
        </span>
      )}
    </>
  );
}
