// Keeping this table's path under a name, and using a kept one or another table's: tried first, step by step.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type S, type Step } from "../client/api";
import { refreshStudy, useContents, useTable } from "../client/hooks";
import { count, Trouble } from "../common/bits";
import { Modal } from "../common/modal";
import { Marked } from "../common/spans";
import { say, sayProblem } from "../common/toasts";
import type { SetSteps } from "./table-page";

export function PathsModal({
  study,
  table,
  setSteps,
  close,
}: {
  study: string;
  table: S["TableOut"];
  setSteps: SetSteps;
  close: () => void;
}) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState("");
  const { data: contents } = useContents(study);
  const { data: kept } = useQuery({
    queryKey: ["paths", study],
    queryFn: () => take(api.GET("/api/studies/{study_id}/paths", { params: { path: { study_id: study } } })),
  });
  const others = (contents?.entries ?? []).filter((e) => e.type === "table" && e.id !== table.id);
  const [kind, id] = chosen.split(":");
  const other = useTable(study, kind === "table" ? id : undefined).data?.table;
  const path = kind === "path" ? kept?.find((p) => p.id === id) : undefined;
  const steps = (path?.steps ?? other?.steps ?? []) as Step[];
  const tried = useQuery({
    queryKey: ["try-path", study, table.id, table.version, chosen, steps.length],
    enabled: steps.length > 0,
    retry: false,
    queryFn: () =>
      take(
        api.POST("/api/studies/{study_id}/tables/{table_id}/try-path", {
          params: { path: { study_id: study, table_id: table.id } },
          body: { steps, columns: path?.columns ?? [] },
        }),
      ),
  });
  const keep = () =>
    void take(
      api.POST("/api/studies/{study_id}/paths", {
        params: { path: { study_id: study } },
        body: { name: name.trim(), table: table.id },
      }),
    ).then(async (p) => {
      setName("");
      await client.invalidateQueries({ queryKey: ["paths", study] });
      await refreshStudy(client, study);
      say(`The path is kept as “${p.name}”`);
    }, sayProblem);
  const fresh = steps.map((s) => Object.fromEntries(Object.entries(s).filter(([k]) => k !== "id")) as Step);
  const use = () =>
    void setSteps(
      [...(table.steps as Step[]), ...fresh],
      `Use the path ${path?.name ?? other?.name ?? ""} on ${table.name}`,
    ).then(close, () => undefined);
  const bad = tried.data?.effects.filter((e) => e.problem).length ?? 0;
  return (
    <Modal title={`Paths and ${table.name}`} close={close} wide>
      <form className="flex items-end gap-3" onSubmit={(e) => (e.preventDefault(), name.trim() && keep())}>
        <label className="field flex-1">
          <span>Keep this table’s path ({count(table.steps.length, "step")}) under the name</span>
          <input
            className="input input-sm w-full"
            value={name}
            placeholder="Yearly cleaning"
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <button type="submit" className="btn btn-sm" disabled={!name.trim() || table.steps.length === 0}>
          Keep it
        </button>
      </form>
      <label className="field mt-5 block">
        <span>Use a path after this table’s own</span>
        <select className="select select-sm w-full" value={chosen} onChange={(e) => setChosen(e.target.value)}>
          <option value="">choose a path</option>
          {(kept?.length ?? 0) > 0 && (
            <optgroup label="Kept in this study">
              {kept?.map((p) => (
                <option key={p.id} value={`path:${p.id}`}>
                  {p.name} ({count(p.steps.length, "step")})
                </option>
              ))}
            </optgroup>
          )}
          <optgroup label="Of another table">
            {others.map((t) => (
              <option key={t.id} value={`table:${t.id}`}>
                {t.name}
              </option>
            ))}
          </optgroup>
        </select>
      </label>
      {chosen && other && steps.length === 0 && <p className="muted mt-3">That table has no steps.</p>}
      {tried.error !== null && <Trouble error={tried.error} />}
      {tried.data && steps.length > 0 && (
        <div className="mt-4">
          {tried.data.lacking.length > 0 && (
            <p className="mb-2">
              This table lacks {count(tried.data.lacking.length, "column")} that the path was made on:{" "}
              {tried.data.lacking.slice(0, 12).join(", ")}.
            </p>
          )}
          <ol className="max-h-64 overflow-auto text-[0.95rem]">
            {tried.data.effects.map((e, i) => (
              <li key={i} className="rule flex gap-3 border-b py-1.5">
                <span className={`w-4 shrink-0 ${e.problem ? "text-error" : "text-success"}`} aria-hidden="true">
                  {e.problem ? "■" : "●"}
                </span>
                <span className="min-w-0 flex-1">
                  <Marked text={e.title} />{" "}
                  <span className={e.problem ? "text-error" : "muted"}>{e.problem ?? e.said}</span>
                </span>
              </li>
            ))}
          </ol>
          <div className="mt-4 flex items-center gap-4">
            <button type="button" className="btn btn-primary btn-sm" onClick={use}>
              Take {count(steps.length, "step")} over
            </button>
            <span className="muted">
              {bad
                ? `${count(bad, "step")} will not do; ` +
                  `${bad === 1 ? "it stands" : "they stand"} in the path to be mended.`
                : "Every step fits."}
            </span>
          </div>
        </div>
      )}
    </Modal>
  );
}
