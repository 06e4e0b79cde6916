// A table: its rows or its dictionary, with the path above and the chosen column beside.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, take, type S, type Step } from "../client/api";
import { refreshStudy, useItemChange, useTable } from "../client/hooks";
import { count, EditableName, Loading, Trouble } from "../common/bits";
import { MOST_ROWS } from "../common/contents";
import { JobBar, useJob } from "../common/job";
import { follow, together, type Meant } from "../client/together";
import { sayProblem } from "../common/toasts";
import { Dictionary } from "./dictionary";
import { Path } from "./path";
import { RowsView } from "./rows-view";
import { Summary } from "./summary";
import { TableMenu } from "./table-menu";

export type SetSteps = (steps: Step[], label: string) => Promise<unknown>;

export function TablePage() {
  const { study = "", id = "" } = useParams();
  const client = useQueryClient();
  const { data, error } = useTable(study, id);
  const [query, setQuery] = useSearchParams();
  const [kept, setKept] = useState<S["TableOut"] | null>(null);
  const rename = useItemChange(study);
  const job = useJob(data?.job, (ended) => {
    if (ended.state === "done") void refreshStudy(client, study);
    else sayProblem(new Error(ended.what));
  });
  // While a long step is worked out the table as it was stays in view.
  if (data?.table && data.table !== kept) setKept(data.table);
  // As with figures: in order, the next change building on this one at once, and only the last answer taken over.
  const key = ["table", study, id];
  const seen = useRef(0);
  const last = () => client.isMutating({ mutationKey: key }) <= 1;
  const save = useMutation({
    mutationKey: key,
    scope: { id: `steps ${id}` },
    onMutate: ({ steps }) => {
      const old = client.getQueryData<S["TableState"]>(key);
      if (!old?.table) return;
      if (last()) seen.current = old.table.revision;
      client.setQueryData(key, { ...old, table: { ...old.table, steps } });
    },
    onError: () => client.invalidateQueries({ queryKey: key }),
    mutationFn: ({ steps, label }: { steps: Step[]; label: string }) => {
      const send = ({ header }: { header: Meant }) =>
        take(
          api.PUT("/api/studies/{study_id}/tables/{table_id}/steps", {
            params: { path: { study_id: study, table_id: id }, header },
            body: { steps, label },
          }),
        );
      return together(send, seen.current, data?.table?.name ?? "The table");
    },
    onSuccess: async (state) => {
      if (!state) await client.invalidateQueries({ queryKey: key });
      else {
        seen.current = follow(seen.current, state.table?.revision ?? seen.current + 1, last());
        if (last()) client.setQueryData(key, state);
      }
      await client.invalidateQueries({
        predicate: (q) =>
          q.queryKey[1] === study &&
          ["contents", "question", "figure", "report", "fits"].includes(String(q.queryKey[0])),
      });
    },
  });
  const setSteps: SetSteps = (steps, label) =>
    save
      .mutateAsync({ steps, label })
      .catch((e: unknown) => (sayProblem(e), Promise.reject(e instanceof Error ? e : new Error(String(e)))));
  const table = data?.table ?? (kept?.id === id ? kept : null);
  if (error)
    return (
      <div className="p-8">
        <Trouble error={error} />
      </div>
    );
  if (!table)
    return data?.job && job ? (
      <div className="p-8">
        <JobBar job={job} />
      </div>
    ) : (
      <Loading />
    );
  const view = query.get("view") ?? "rows";
  const chosen = query.get("column") ?? table.columns[0]?.name ?? "";
  const choose = (name: string) => setQuery((q) => (q.set("column", name), q), { replace: true });
  const show = (v: string) => setQuery((q) => (q.set("view", v), q), { replace: true });
  return (
    <div className="flex h-full flex-col overflow-y-auto">
      <header className="rule shrink-0 border-b px-6 pb-2 pt-3">
        <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
          <EditableName
            name={table.name}
            rename={(name) => rename.mutate({ id, name })}
            label="the table"
            className="text-xl font-bold"
          />
          <p
            className="muted min-w-40 flex-1 basis-40 truncate"
            title={`${count(table.rows, "row")}, ${count(table.columns.length, "column")}${aboutWords(table)}`}
          >
            {count(table.rows, "row")}, {count(table.columns.length, "column")},{" "}
            {count(table.empty_cells, "empty cell")}
            {aboutWords(table)}
          </p>
          <div className="seg" role="group" aria-label="View">
            <button aria-pressed={view === "rows"} onClick={() => show("rows")}>
              Rows
            </button>
            <button aria-pressed={view === "dictionary"} onClick={() => show("dictionary")}>
              Dictionary
            </button>
            <button aria-pressed={view === "summary"} onClick={() => show("summary")}>
              Summary
            </button>
          </div>
          <TableMenu study={study} table={table} setSteps={setSteps} />
          <Link className="btn btn-primary btn-sm" to={`/s/${study}/ask/${id}`}>
            Ask about this table
          </Link>
        </div>
        <Path
          study={study}
          table={table}
          setSteps={setSteps}
          startWith={query.get("step")}
          busy={save.isPending}
          showRows={(numbers) =>
            setQuery((q) => (q.set("view", "rows"), q.set("rows", numbers.slice(0, MOST_ROWS).join(",")), q), {
              replace: true,
            })
          }
        />
        {data?.job && job && <JobBar job={job} />}
      </header>
      {view === "dictionary" ? (
        <Dictionary study={study} table={table} setSteps={setSteps} />
      ) : view === "summary" ? (
        <Summary
          study={study}
          table={table}
          choose={(name) => setQuery((q) => (q.set("column", name), q.set("view", "rows"), q))}
        />
      ) : (
        <RowsView
          key={id}
          study={study}
          table={table}
          setSteps={setSteps}
          chosen={chosen}
          choose={choose}
          showRows={query.get("rows")}
          openStep={(at) => setQuery((q) => (q.set("step", `edit:${at}`), q), { replace: true })}
        />
      )}
    </div>
  );
}

/** What is known of the whole table, in a few words. */
function aboutWords(table: S["TableOut"]): string {
  const { panel, design } = table.about ?? {};
  const replicates = design?.replicates?.length ? `, ${count(design.replicates.length, "replicate")}` : "";
  return [
    table.linked_to ? "renewed with its source" : "",
    panel ? `${panel.unit} over ${panel.time}` : "",
    design ? `survey design: ${design.weight}${replicates}` : "",
    table.made_into?.length ? `read by ${table.made_into.join(", ")}` : "",
  ]
    .filter(Boolean)
    .map((w) => `; ${w}`)
    .join("");
}
