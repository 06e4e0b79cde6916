// Above the grid: find, filter, sort, and the next empty cell or outlier. None of it changes the table.
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useEffect, useState, type RefObject } from "react";
import type { S, Step } from "../client/api";
import { count, grouped, useDebounced } from "../common/bits";
import { say, sayProblem } from "../common/toasts";
import { PLAIN, seekCell, type Look } from "./cells";
import { ExpressionInput } from "../asking/expression";
import type { GridHandle } from "./grid";
import { isNumber } from "./preview";

type Sought = "empty" | "outlier" | "text";

export function GridTools({
  study,
  table,
  look,
  setLook,
  chosen,
  grid,
  total,
  keep,
}: {
  study: string;
  table: S["TableOut"];
  look: Look;
  setLook: (look: Look) => void;
  chosen: string;
  grid: RefObject<GridHandle | null>;
  total: number;
  keep: (steps: Step[]) => void;
}) {
  const [text, setText] = useState("");
  const [found, setFound] = useState<string | null>(null);
  const [filtering, setFiltering] = useState(look.where !== "");
  const [where, setWhere] = useState(look.where);
  const column = table.columns.find((c) => c.name === chosen);
  const seek = async (what: Sought, back = false) => {
    const place = grid.current?.place() ?? { row: -1, column: "" };
    try {
      const hit = await seekCell(study, table.id, look, what, place.row, {
        text: what === "text" ? text : "",
        back,
        ...(what === "text" ? {} : { columns: [chosen] }),
      });
      if (typeof hit.row === "number") grid.current?.to(hit.row, hit.column ?? null);
      const words = {
        empty: `empty in ${chosen}`,
        outlier: `beyond 1.5 interquartile ranges in ${chosen}`,
        text: `cells with “${text}”`,
      }[what];
      if (what === "text") setFound(hit.count === 0 ? "nowhere" : count(hit.count, "cell"));
      else
        say(
          hit.count === 0 ? `Nothing is ${words}` : `${count(hit.count, "cell")} ${words}; this is row ${hit.number}`,
        );
    } catch (e) {
      sayProblem(e);
    }
  };
  const waiting = useDebounced(where, 300);
  useEffect(() => {
    if (filtering && waiting !== look.where) setLook({ ...look, where: waiting });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once the hand rests; Enter has put it there already
  }, [waiting]);
  const sorted = look.sort === chosen;
  const sort = (falling: boolean) =>
    setLook(
      sorted && look.falling === falling ? { ...look, sort: "", falling: false } : { ...look, sort: chosen, falling },
    );
  const steps = stepsOf(look);
  return (
    <div
      role="toolbar"
      aria-label="Look at the rows"
      className="rule flex min-h-10 flex-wrap items-center gap-x-3 gap-y-1 border-b px-4 py-1 text-[0.9rem]"
    >
      <span className="flex items-center gap-1">
        <input
          className="input input-sm w-40"
          type="search"
          aria-label="Find in the rows"
          placeholder="Find in the rows"
          value={text}
          onChange={(e) => (setText(e.target.value), setFound(null), look.find && setLook({ ...look, find: "" }))}
          onKeyDown={(e) => e.key === "Enter" && text.trim() && void seek("text", e.shiftKey)}
        />
        {text.trim() && (
          <>
            <Small label="Previous cell with it (Shift Enter)" run={() => void seek("text", true)}>
              <ArrowUp size={14} />
            </Small>
            <Small label="Next cell with it (Enter)" run={() => void seek("text")}>
              <ArrowDown size={14} />
            </Small>
            {found && <span className="muted">{found}</span>}
            <button
              type="button"
              className="link-quiet"
              aria-pressed={look.find !== ""}
              onClick={() => setLook({ ...look, find: look.find ? "" : text.trim() })}
            >
              {look.find ? "All rows" : "Only these rows"}
            </button>
          </>
        )}
      </span>
      {filtering ? (
        <span className="flex items-center gap-1">
          <span className="muted">Rows where</span>
          <span className="w-72">
            <ExpressionInput
              label="Rows where"
              value={where}
              set={setWhere}
              columns={table.columns}
              enter={() => setLook({ ...look, where })}
            />
          </span>
          <Small
            label="Take the filter away"
            run={() => (setFiltering(false), setWhere(""), setLook({ ...look, where: "" }))}
          >
            <X size={14} />
          </Small>
        </span>
      ) : (
        <button type="button" className="link-quiet" onClick={() => setFiltering(true)}>
          Filter
        </button>
      )}
      <span className="flex items-center gap-1">
        <span className="muted max-w-40 truncate">Sort by {look.sort || chosen}</span>
        <Small label={`Sort by ${chosen}, rising`} pressed={sorted && !look.falling} run={() => sort(false)}>
          <ArrowUp size={14} />
        </Small>
        <Small label={`Sort by ${chosen}, falling`} pressed={sorted && look.falling} run={() => sort(true)}>
          <ArrowDown size={14} />
        </Small>
      </span>
      <span className="flex-1" />
      {steps.length > 0 && (
        <>
          <span className="muted">
            {total === table.rows ? "" : `${count(total, "row")} of ${grouped(table.rows)}`}
          </span>
          <button
            type="button"
            className="link-quiet"
            onClick={() => (keep(steps), setFiltering(false), setWhere(""), setLook(PLAIN))}
          >
            Keep as {steps.length === 1 ? "a step" : "steps"}
          </button>
          <button
            type="button"
            className="link-quiet"
            onClick={() => (setFiltering(false), setWhere(""), setLook(PLAIN))}
          >
            As it is
          </button>
        </>
      )}
      <button type="button" className="link-quiet" onClick={() => void seek("empty")}>
        Next empty
      </button>
      {isNumber(column?.kind) && (
        <button type="button" className="link-quiet" onClick={() => void seek("outlier")}>
          Next outlier
        </button>
      )}
    </div>
  );
}

/** What the look would be as steps; finding a text is not one. */
function stepsOf(look: Look): Step[] {
  const steps: Step[] = [];
  if (look.where) steps.push({ step: "keep_rows", where: look.where });
  if (look.sort) steps.push({ step: "sort", by: [look.sort], descending: look.falling ? [look.sort] : [] });
  return steps;
}

function Small({
  label,
  run,
  pressed,
  children,
}: {
  label: string;
  run: () => void;
  pressed?: boolean;
  children: React.ReactNode;
}) {
  return (
    <button
      type="button"
      className={`btn btn-xs btn-square ${pressed ? "btn-neutral" : "btn-ghost"}`}
      aria-label={label}
      title={label}
      aria-pressed={pressed}
      onClick={run}
    >
      {children}
    </button>
  );
}
