// The rows: tools, grid, and the chosen column beside.
import { cx } from "../common/classes";
import { useRef, useState } from "react";
import type { S, Step } from "../client/api";
import { count } from "../common/bits";
import { say } from "../common/toasts";
import { PLAIN, type Look } from "./cells";
import { ColumnMargin } from "./column-margin";
import { Grid, type EditCells, type GridHandle } from "./grid";
import { GridTools } from "./grid-tools";
import type { SetSteps } from "./table-page";

export function RowsView({
  study,
  table,
  setSteps,
  chosen,
  choose,
  showRows,
  openStep,
}: {
  study: string;
  table: S["TableOut"];
  setSteps: SetSteps;
  chosen: string;
  choose: (name: string) => void;
  showRows: string | null;
  openStep: (at: number) => void;
}) {
  const grid = useRef<GridHandle>(null);
  const [look, setLook] = useState<Look>(PLAIN);
  const [total, setTotal] = useState(table.rows);
  const steps = table.steps as Step[];
  // Cells edited one after another are one step, each with its old value.
  const edit: EditCells = (edits) => {
    const one = edits[0]!;
    const cells = count(edits.length, "cell");
    const last = steps.at(-1);
    const joined = last?.step === "edit_cells" && last.on !== false;
    const next = joined
      ? [...steps.slice(0, -1), { ...last, edits: [...(last.edits as object[]), ...edits] }]
      : [...steps, { step: "edit_cells", edits }];
    const alone = edits.length === 1;
    void setSteps(next, `Edit ${alone ? `${one.column} in row ${one.row}` : cells} of ${table.name}`).then(
      () =>
        say(
          alone ? `${one.column}, row ${one.row}: ${one.old ?? "empty"} → ${one.new ?? "empty"}` : `${cells} written`,
          {
            label: "Say why",
            run: () => openStep(next.length - 1),
          },
        ),
      () => undefined,
    );
  };
  return (
    <div className="flex min-h-[24rem] flex-1 max-[1100px]:min-h-[40rem] max-[1100px]:flex-col">
      <div className="flex min-h-0 min-w-0 flex-1 flex-col">
        <GridTools
          study={study}
          table={table}
          look={look}
          setLook={setLook}
          chosen={chosen}
          grid={grid}
          total={total}
          keep={(fresh) => void setSteps([...steps, ...fresh], `Keep how ${table.name} is looked at`)}
        />
        <Grid
          study={study}
          table={table}
          look={look}
          chosen={chosen}
          choose={choose}
          showRows={showRows}
          handle={grid}
          edit={edit}
          told={setTotal}
        />
      </div>
      <aside
        aria-label="The chosen column"
        className={cx(
          "rule w-[286px] shrink-0 overflow-y-auto border-l p-5 max-[1100px]:max-h-72",
          "max-[1100px]:w-full max-[1100px]:border-l-0 max-[1100px]:border-t",
        )}
      >
        <ColumnMargin study={study} table={table} name={chosen} />
      </aside>
    </div>
  );
}
