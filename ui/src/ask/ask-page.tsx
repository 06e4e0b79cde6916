// The catalogue of questions, by aim; choosing columns first narrows it to what they can answer.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, type Column, type Method, type S } from "../client/api";
import { useCatalogue, useNewQuestion, useTable } from "../client/hooks";
import { kindWords, Loading, Trouble } from "../common/bits";
import { asList } from "../common/lists";
import { Alike, alike, between } from "../common/slot";
import type { Properties } from "../asking/ask";

export function AskPage() {
  const { study = "", id = "" } = useParams();
  const go = useNavigate();
  const { data, error } = useTable(study, id);
  const { data: catalogue } = useCatalogue();
  const [chosen, setChosen] = useState<string[]>([]);
  const [text, setText] = useState("");
  const last = useRef("");
  const fits = useQuery({
    queryKey: ["fits", study, id, data?.table?.version, chosen],
    enabled: chosen.length > 0,
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/tables/{table_id}/fits", {
          params: { path: { study_id: study, table_id: id }, query: { names: chosen } },
        }),
      ),
  });
  const ask = useNewQuestion(study, (made) => go(`/s/${study}/q/${made.id}`));
  if (error)
    return (
      <div className="p-8">
        <Trouble error={error} />
      </div>
    );
  if (!data?.table || !catalogue) return <Loading />;
  const table = data.table;
  const begin = (method: string, layout: string, spec: Record<string, unknown>) =>
    ask.mutate({ table: id, method, layout, spec });
  const sought = text.toLowerCase();
  const listed = table.columns
    .filter((c) => `${c.name}\n${c.label ?? ""}`.toLowerCase().includes(sought))
    .slice(0, 300);
  const add = (names: string[]) => setChosen((c) => [...c, ...names.filter((n) => !c.includes(n))]);
  const toggle = (name: string, sweep: boolean) => {
    const from = last.current;
    last.current = name;
    const names = listed.map((c) => c.name);
    if (sweep && from) add(between(names, from, name));
    else setChosen((c) => (c.includes(name) ? c.filter((n) => n !== name) : [...c, name]));
  };
  const like = alike(table.columns, chosen, { kinds: table.columns.map((c) => c.kind), placeholder: "", many: true });
  const aims = catalogue.aims.filter((a) => catalogue.methods.some((m) => m.aim === a.id));
  const found = chosen.length ? (fits.data?.fits ?? []) : [];
  return (
    <div className="flex min-h-full">
      <section aria-label="Columns and aims" className="rule w-[250px] shrink-0 border-r px-5 py-4">
        <h2 className="font-bold">Start from columns</h2>
        <p className="muted mb-2 text-[0.88rem]">
          Choose what you want to know about. Questions that fit rise to the top.
        </p>
        {table.columns.length > 14 && (
          <input
            className="input input-sm mb-2 w-full"
            aria-label="Search columns"
            placeholder="Search columns"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        )}
        <ul className="max-h-[46vh] overflow-y-auto">
          {listed.map((c) => (
            <li key={c.name} draggable onDragStart={(e) => e.dataTransfer.setData("text/yavik-column", c.name)}>
              <label className="flex cursor-pointer items-center gap-2.5 py-1">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs checkbox-primary"
                  checked={chosen.includes(c.name)}
                  onChange={(e) => toggle(c.name, (e.nativeEvent as MouseEvent).shiftKey)}
                />
                <span className="min-w-0 flex-1 truncate" title={c.label ?? c.name}>
                  {c.name}
                </span>
                <span className="muted text-[0.82rem]">{kindWords(c.kind)}</span>
              </label>
            </li>
          ))}
        </ul>
        <p className="mt-1 text-[0.88rem]">
          <Alike like={like} chosen={chosen} add={add} />
        </p>
        {table.columns.length > 5 && <p className="muted mt-1 text-[0.82rem]">Shift takes a range.</p>}
        <h2 className="mb-1 mt-6 font-bold">Or from an aim</h2>
        <ul>
          {aims.map((a) => (
            <li key={a.id}>
              <a className="block py-1 hover:underline" href={`#${a.id}`}>
                {a.title}
              </a>
            </li>
          ))}
        </ul>
      </section>
      <div className="bg-base-200/50 min-w-0 flex-1 px-8 py-5">
        <h1 className="text-xl font-bold">
          {chosen.length ? `Questions for ${words(chosen)}` : `Ask about ${table.name}`}
        </h1>
        <p className="muted mb-3">
          {chosen.length
            ? (fits.data?.said ?? "")
            : "Every question is a sentence; its slots are filled with columns of this table."}
        </p>
        {chosen.length > 0 && fits.data && (
          <Found
            fits={found}
            methods={catalogue.methods}
            columns={table.columns}
            begin={begin}
            old={fits.isPlaceholderData}
          />
        )}
        {chosen.length > 0 && (
          <p className="muted rule mb-3 border-t pt-4">All that can be asked, whatever was chosen:</p>
        )}
        {aims.map((a) => (
          <section key={a.id} id={a.id} className="mb-6 scroll-mt-4">
            <h2 className="mb-1 text-lg font-bold">{a.title}</h2>
            {catalogue.methods
              .filter((m) => m.aim === a.id)
              .map((m) => (
                <QuestionLine
                  key={m.id}
                  method={m}
                  layout={m.layouts[0]}
                  spec={{}}
                  columns={table.columns}
                  begin={begin}
                />
              ))}
          </section>
        ))}
      </div>
    </div>
  );
}

function words(names: string[]): string {
  return names.length > 1 ? `${names.slice(0, -1).join(", ")} and ${names[names.length - 1]}` : (names[0] ?? "");
}

// While fits for the last choice of columns are still shown, they cannot be begun: they would forget the newest column.
function Found({
  fits,
  methods,
  columns,
  begin,
  old,
}: {
  old: boolean;
  fits: S["Fit"][];
  methods: Method[];
  columns: Column[];
  begin: (m: string, l: string, s: Record<string, unknown>) => void;
}) {
  const whole = fits.filter((f) => f.missing.length === 0);
  const partial = fits.filter((f) => f.missing.length > 0);
  const line = (f: S["Fit"], i: number) => {
    const method = methods.find((m) => m.id === f.method);
    return (
      method && (
        <QuestionLine
          key={f.method}
          method={method}
          layout={method.layouts.find((l) => l.id === f.layout)}
          spec={f.spec}
          columns={columns}
          begin={begin}
          old={old}
          best={i === 0 && whole.length > 1 && f.missing.length === 0 ? f.why : undefined}
        />
      )
    );
  };
  if (fits.length === 0)
    return (
      <p className="mb-6">
        No question here takes just these columns together. Take one out, or look through the aims.
      </p>
    );
  return (
    <div className="mb-8">
      {whole.map(line)}
      {partial.length > 0 && <h2 className="mb-1 mt-5 text-lg font-bold">With one more column</h2>}
      {partial.map(line)}
    </div>
  );
}

function QuestionLine({
  method,
  layout,
  spec,
  columns,
  begin,
  best,
  old,
}: {
  old?: boolean;
  method: Method;
  layout?: S["LayoutOut"];
  spec: Record<string, unknown>;
  columns: Column[];
  begin: (m: string, l: string, s: Record<string, unknown>) => void;
  best?: string;
}) {
  if (!layout) return null;
  const properties = (method.spec.properties ?? {}) as Properties;
  return (
    <div className="rule border-b py-2.5">
      <button
        type="button"
        className="group text-left text-[1.12rem]"
        disabled={old}
        onClick={() => begin(method.id, layout.id, spec)}
        data-method={method.id}
      >
        {layout.sentence.split(/(\{\w+\})/).map((part, i) => {
          const field = /^\{(\w+)\}$/.exec(part)?.[1];
          if (!field)
            return (
              <span key={i} className="group-hover:underline">
                {part}
              </span>
            );
          const value = asList(spec[field]).map((v) => columns.find((c) => c.name === v)?.name ?? v);
          return (
            <span key={i} className={`slot ${value.length ? "" : "empty"}`}>
              {value.length ? value.join(", ") : (properties[field]?.ask?.placeholder ?? field)}
            </span>
          );
        })}
      </button>
      <p className="muted text-[0.88rem]">
        {method.title}. {best && <b className="text-secondary">Fits best: {best}.</b>}{" "}
        <Link className="link-quiet !font-normal !underline" to={`/methods/${method.id}`}>
          About this method
        </Link>
      </p>
    </div>
  );
}
