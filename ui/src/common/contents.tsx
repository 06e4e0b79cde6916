// The contents: tables, questions, figures, report; each with what it says now.
import { cx } from "./classes";
import { Plus } from "lucide-react";
import { useState, type ReactNode } from "react";
import { Link, useNavigate } from "react-router";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Entry } from "../client/api";
import { refreshStudy, useContents, useItemChange, useNewFigure, useUndo } from "../client/hooks";
import { Menu, MenuItem } from "./pop";
import { say, sayProblem } from "./toasts";

export const LETTER = { table: "t", question: "q", figure: "f", report: "r" } as const;

/** Entries of a long part that are always in sight. */
const SHORT = 6;

export function path(study: string, entry: { id: string; type: Entry["type"] }): string {
  return `/s/${study}/${LETTER[entry.type]}/${entry.id}`;
}

/** Rows that are marked in the grid: more would not fit into an address. */
export const MOST_ROWS = 200;

/** A table with some of its rows marked, by their numbers in the file. */
export function rowsPath(study: string, table: string, rows: number | number[]): string {
  return `/s/${study}/t/${table}?rows=${[rows].flat().slice(0, MOST_ROWS).join(",")}`;
}

export function Contents({ study, current }: { study: string; current?: string }) {
  const { data } = useContents(study);
  const none = (words: string) => (data ? words : ""); // what is still loading is not said to be empty
  const go = useNavigate();
  const figure = useNewFigure(study, (made) => go(`/s/${study}/f/${made.id}`));
  const entries = data?.entries ?? [];
  const tables = entries.filter((e) => e.type === "table");
  const here = entries.find((e) => e.id === current);
  const table = here?.type === "table" ? here.id : (here?.table ?? tables[0]?.id);
  const newReport = (template: string, title: string) =>
    void take(
      api.POST("/api/studies/{study_id}/reports", {
        params: { path: { study_id: study } },
        body: { name: template === "empty" ? "Report" : title, template },
      }),
    ).then((r) => go(`/s/${study}/r/${r.id}`), sayProblem);
  return (
    <nav aria-label="Contents" className="rule w-[218px] shrink-0 overflow-y-auto border-r px-2 py-3">
      <Part
        title="Tables"
        study={study}
        entries={tables}
        current={current}
        add={() => go(`/s/${study}/bring`)}
        addLabel="Bring in a table"
        empty={none("Bring in a file to begin.")}
      />
      <Part
        title="Questions"
        study={study}
        entries={entries.filter((e) => e.type === "question")}
        current={current}
        add={table ? () => go(`/s/${study}/ask/${table}`) : undefined}
        addLabel="Ask a question"
        empty={none("No question yet.")}
      />
      <Part
        title="Figures"
        study={study}
        entries={entries.filter((e) => e.type === "figure")}
        current={current}
        add={table ? () => figure.mutate({ table }) : undefined}
        addLabel="Draw a figure"
        empty={none("No figure yet.")}
      />
      <Part
        title="Report"
        study={study}
        entries={entries.filter((e) => e.type === "report")}
        current={current}
        adder={<NewReport study={study} begin={newReport} />}
        empty={none("“Add to report” begins one.")}
      />
    </nav>
  );
}

function NewReport({ study, begin }: { study: string; begin: (template: string, title: string) => void }) {
  const { data } = useQuery({
    queryKey: ["templates", study],
    staleTime: Infinity,
    enabled: study !== "",
    queryFn: () =>
      take(api.GET("/api/studies/{study_id}/reports/templates", { params: { path: { study_id: study } } })),
  });
  return (
    <Menu
      label="Begin a report"
      button={
        <span className="btn btn-ghost btn-xs btn-square" title="Begin a report">
          <Plus size={14} />
          <span className="sr-only">Begin a report</span>
        </span>
      }
    >
      {(data ?? []).map((t) => (
        <MenuItem key={t.id} onClick={() => begin(t.id, t.title)}>
          {t.title}
          <span className="muted block text-xs">{t.help}</span>
        </MenuItem>
      ))}
    </Menu>
  );
}

function Part({
  title,
  study,
  entries,
  current,
  add,
  adder,
  addLabel = "",
  empty,
}: {
  title: string;
  study: string;
  entries: Entry[];
  current?: string;
  add?: () => void;
  adder?: ReactNode;
  addLabel?: string;
  empty: string;
}) {
  const change = useItemChange(study);
  const [over, setOver] = useState<string | null>(null);
  const key = `yavik.all.${study}.${title}`;
  const [all, setAll] = useState(localStorage.getItem(key) === "yes");
  const open = (next: boolean) => (localStorage.setItem(key, next ? "yes" : "no"), setAll(next));
  // Long parts are folded, so that the parts below them stay in sight; the entry that is open always shows.
  const shown = all || entries.length <= SHORT + 2 ? entries : entries.filter((e, i) => i < SHORT || e.id === current);
  const drop = (event: React.DragEvent, before: string) => {
    const id = event.dataTransfer.getData("text/yavik-entry");
    setOver(null);
    if (id && id !== before) change.mutate({ id, before });
  };
  return (
    <section className="mb-4">
      <div className="flex items-center justify-between px-2">
        <h2 className="text-[0.85rem] font-bold">{title}</h2>
        {add && (
          <button
            type="button"
            className="btn btn-ghost btn-xs btn-square"
            aria-label={addLabel}
            title={addLabel}
            onClick={add}
          >
            <Plus size={14} />
          </button>
        )}
        {adder}
      </div>
      {entries.length === 0 && empty && <p className="muted px-2 py-1 text-[0.85rem]">{empty}</p>}
      <ul>
        {shown.map((e) => (
          <li
            key={e.id}
            className={over === e.id ? "border-primary border-t-2" : ""}
            onDragOver={(ev) => (ev.preventDefault(), setOver(e.id))}
            onDragLeave={() => setOver(null)}
            onDrop={(ev) => drop(ev, e.id)}
          >
            <EntryLine study={study} entry={e} current={e.id === current} others={entries} />
          </li>
        ))}
      </ul>
      {entries.length > SHORT + 2 && (
        <button
          type="button"
          className="link-quiet !px-2 !py-1 text-[0.85rem] !font-normal"
          aria-expanded={all}
          onClick={() => open(!all)}
        >
          {all ? `Only the first ${SHORT}` : `All ${entries.length} ${title.toLowerCase()}`}
        </button>
      )}
    </section>
  );
}

function EntryLine({
  study,
  entry,
  current,
  others,
}: {
  study: string;
  entry: Entry;
  current: boolean;
  others: Entry[];
}) {
  const [renaming, setRenaming] = useState(false);
  const change = useItemChange(study);
  const back = useUndo(study);
  const client = useQueryClient();
  const go = useNavigate();
  const where = { params: { path: { study_id: study, item_id: entry.id } } };
  const remove = async () => {
    await take(api.DELETE("/api/studies/{study_id}/items/{item_id}", where));
    if (current) await go(`/s/${study}`);
    await refreshStudy(client, study);
    say(`${entry.name} deleted`, {
      label: "Undo",
      run: () => back.mutate("undo"),
    });
  };
  const copy = () =>
    take(api.POST("/api/studies/{study_id}/items/{item_id}/duplicate", where)).then(() => refreshStudy(client, study));
  const rename = (text: string) => {
    const name = text.trim();
    if (renaming && name && name !== entry.name) change.mutate({ id: entry.id, name });
    setRenaming(false);
  };
  const at = others.findIndex((o) => o.id === entry.id);
  if (renaming) {
    return (
      <input
        className="input input-sm my-1 w-full"
        aria-label={`New name of ${entry.name}`}
        defaultValue={entry.name}
        autoFocus
        onBlur={(e) => rename(e.currentTarget.value)}
        onKeyDown={(e) => {
          if (e.key === "Escape") setRenaming(false);
          if (e.key === "Enter") rename(e.currentTarget.value);
        }}
      />
    );
  }
  return (
    <div
      className={`group relative flex items-center rounded-md ${current ? "bg-primary/10" : "hover:bg-base-200"}`}
      draggable
      onDragStart={(e) => e.dataTransfer.setData("text/yavik-entry", entry.id)}
    >
      <Link
        to={path(study, entry)}
        className="min-w-0 flex-1 px-2 py-1"
        aria-current={current ? "page" : undefined}
        onDoubleClick={() => setRenaming(true)}
      >
        <span
          className={`block truncate leading-tight ${current ? "text-primary font-semibold" : ""}`}
          title={entry.name}
        >
          {entry.name}
        </span>
        <span
          className={cx(
            "block truncate text-[0.8rem] leading-tight",
            entry.out_of_date ? "text-primary font-semibold" : "muted",
          )}
        >
          {entry.line}
        </span>
      </Link>
      <span className="absolute right-0 opacity-0 focus-within:opacity-100 group-hover:opacity-100">
        <Menu label={`Actions for ${entry.name}`} button="⋯">
          <MenuItem onClick={() => setRenaming(true)}>Rename</MenuItem>
          <MenuItem onClick={() => void copy().catch(sayProblem)}>Duplicate</MenuItem>
          <MenuItem
            disabled={at <= 0}
            onClick={() => change.mutate({ id: entry.id, before: others[at - 1]?.id ?? "" })}
          >
            Move up
          </MenuItem>
          <MenuItem
            disabled={at >= others.length - 1}
            onClick={() => change.mutate({ id: entry.id, before: others[at + 2]?.id ?? "" })}
          >
            Move down
          </MenuItem>
          <MenuItem onClick={() => void remove().catch(sayProblem)}>Delete</MenuItem>
        </Menu>
      </span>
    </div>
  );
}
