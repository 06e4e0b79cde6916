// Labels for many columns, or level labels, pasted from a two-column sheet.
import { useState } from "react";
import type { S, Step } from "../client/api";
import { count } from "../common/bits";
import { Modal } from "../common/modal";
import type { SetSteps } from "./table-page";

type What = "labels" | "levels";

export function PasteLabels({
  table,
  setSteps,
  close,
}: {
  table: S["TableOut"];
  setSteps: SetSteps;
  close: () => void;
}) {
  const [what, setWhat] = useState<What>("labels");
  const [text, setText] = useState("");
  const [columns, setColumns] = useState<string[]>([]);
  const lines = text
    .split(/\r?\n/)
    .map((l) => l.split("\t").map((c) => c.trim()))
    .filter((c) => c[0]);
  const names = new Set(table.columns.map((c) => c.name));
  // A line without words says nothing; it does not take a label away.
  const known = lines.filter((l) => names.has(l[0] ?? "") && l.slice(1).some(Boolean));
  const strange = lines.filter((l) => !names.has(l[0] ?? ""));
  const ready = what === "labels" ? known.length > 0 : lines.length > 0 && columns.length > 0;
  const keep = () => {
    const step: Step =
      what === "labels"
        ? {
            step: "describe_columns",
            descriptions: known.map((l) => ({
              column: l[0],
              ...(l[1] ? { label: l[1] } : {}),
              ...(l[2] ? { unit: l[2] } : {}),
              ...(l[3] ? { note: l[3] } : {}),
            })),
          }
        : {
            step: "levels",
            column: columns[0],
            levels: lines.map((l) => ({ value: l[0]?.replace(/^−(?=[\d.])/, "-"), label: l[1] || null })),
            also: columns.slice(1),
          };
    void setSteps(
      [...(table.steps as Step[]), step],
      what === "labels"
        ? `Label ${count(known.length, "column")} of ${table.name}`
        : `Label the levels of ${count(columns.length, "column")}`,
    ).then(close, () => undefined);
  };
  return (
    <Modal title="Paste labels from a sheet" close={close} wide>
      <div className="seg mb-3" role="group" aria-label="What is pasted">
        <button type="button" aria-pressed={what === "labels"} onClick={() => setWhat("labels")}>
          Labels of columns
        </button>
        <button type="button" aria-pressed={what === "levels"} onClick={() => setWhat("levels")}>
          Labels of levels
        </button>
      </div>
      <label className="field block">
        <span>
          {what === "labels"
            ? "Two columns: name and label; a third may hold units, a fourth notes"
            : "Two columns: value and its words, in their order"}
        </span>
        <textarea
          className="textarea h-44 w-full font-mono text-sm"
          value={text}
          placeholder={
            what === "labels"
              ? "m1\tI read to forget the day\nm2\tA good story takes me somewhere else"
              : "1\tnot at all\n2\trather not"
          }
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      {what === "levels" && (
        <fieldset className="mt-3">
          <legend className="muted text-[0.9rem]">For the columns</legend>
          <div className="mt-1 grid max-h-40 grid-cols-3 gap-x-4 overflow-auto text-[0.92rem]">
            {table.columns
              .filter((c) => !["measure", "date", "identifier"].includes(c.kind))
              .map((c) => (
                <label key={c.name} className="flex items-center gap-2 truncate">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-xs"
                    checked={columns.includes(c.name)}
                    onChange={(e) =>
                      setColumns(e.target.checked ? [...columns, c.name] : columns.filter((n) => n !== c.name))
                    }
                  />
                  {c.name}
                </label>
              ))}
          </div>
        </fieldset>
      )}
      <div className="mt-4 flex items-center gap-4">
        <button type="button" className="btn btn-primary btn-sm" disabled={!ready} onClick={keep}>
          Keep{" "}
          {what === "labels"
            ? count(known.length, "label")
            : `${count(lines.length, "level")} for ${count(columns.length, "column")}`}
        </button>
        {what === "labels" && strange.length > 0 && (
          <span className="muted text-[0.92rem]">
            {count(strange.length, "line")} name{strange.length === 1 ? "s" : ""} no column:{" "}
            {strange
              .slice(0, 4)
              .map((l) => l[0])
              .join(", ")}
            {strange.length > 4 ? " …" : ""}
          </span>
        )}
      </div>
    </Modal>
  );
}
