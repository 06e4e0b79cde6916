// Bringing in a table: choose, drop or paste; see what was found out; correct it; make the table.
import { cx } from "../common/classes";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, take, upload, type Job, type S } from "../client/api";
import { useStudyId } from "../client/hooks";
import { count, Trouble } from "../common/bits";
import { JobBar, useJob } from "../common/job";
import { sayProblem } from "../common/toasts";
import { ArchiveShelf } from "./archive-shelf";
import { PreviewTable, ReadControls, SheetControls } from "./preview";

type Brought = { id: string; filename: string; size: number };

export function BringPage() {
  const study = useStudyId();
  const go = useNavigate();
  const client = useQueryClient();
  const file = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const [pasted, setPasted] = useState("");
  const [brought, setBrought] = useState<Brought | null>(null);
  const [preview, setPreview] = useState<S["Preview"] | null>(null);
  const [name, setName] = useState("");
  const [job, setJob] = useState<Job | null>(null);
  const [error, setError] = useState<unknown>(null);
  const [alone, setAlone] = useState("");

  const took = (found: S["UploadOut"]) => {
    setBrought(found);
    setPreview(found.preview);
    const sheet = (found.preview.sheets?.length ?? 0) > 1 ? ` ${found.preview.options.sheet ?? ""}` : "";
    setName(
      (found.filename.replace(/\.\w+$/, "").replace(/[-_]+/g, " ") + sheet).replace(/^./, (c) => c.toUpperCase()),
    );
    setError(null);
  };
  // Breaking the request off stops the work on the server too.
  const breaker = useRef<AbortController | null>(null);
  const breakable = () => (breaker.current = new AbortController()).signal;
  const failed = (e: unknown) =>
    setError(breaker.current?.signal.aborted ? new Error("Stopped. Nothing was taken in or changed.") : e);
  const take_in = useMutation({
    mutationFn: ({ data, filename }: { data: Blob | string; filename: string }) => (
      setError(null),
      upload(study, data, filename, breakable())
    ),
    onSuccess: took,
    onError: failed,
  });
  const again = useMutation({
    mutationFn: (options: S["ReadOptions"]) =>
      take(
        api.POST("/api/studies/{study_id}/uploads/{upload_id}/preview", {
          params: { path: { study_id: study, upload_id: brought!.id } },
          body: options,
          signal: breakable(),
        }),
      ),
    onSuccess: (found) => (setPreview(found), setError(null)),
    onError: failed,
  });
  const opened = async (table: S["TableOut"] | null | undefined) => {
    if (!table) return;
    await client.invalidateQueries({ queryKey: ["contents", study] });
    await go(`/s/${study}/t/${table.id}`);
  };
  const body = () => ({ upload: brought!.id, name: name.trim() || "Table", options: preview!.options });
  const make = useMutation({
    mutationFn: () =>
      take(api.POST("/api/studies/{study_id}/tables", { params: { path: { study_id: study } }, body: body() })),
    onSuccess: (state) => (state.job ? setJob(state.job) : void opened(state.table)),
    onError: (e) => setError(e),
  });
  const working = useJob(job, (ended) => {
    setJob(null);
    if (ended.state === "done")
      void take(
        api.PUT("/api/studies/{study_id}/tables/finish", { params: { path: { study_id: study } }, body: body() }),
      ).then((s) => opened(s.table), sayProblem);
    else
      setError(
        new Error(
          ended.state === "stopped" ? "Stopped. The file is still here; make the table when you like." : ended.what,
        ),
      );
  });

  const choose = (files: FileList | null) => {
    const chosen = files?.[0];
    if (!chosen) return;
    take_in.mutate({ data: chosen, filename: chosen.name });
    setAlone(files.length > 1 ? `One file at a time: this is ${chosen.name}; bring in the others after it.` : "");
  };
  return (
    <div className="mx-auto max-w-5xl px-8 py-8">
      <h1 className="text-2xl font-bold">Bring in a table</h1>
      <p className="muted mb-5">
        CSV or other separated text, workbooks (XLSX, ODS), JSON, Parquet, Arrow, or a data package; up to 2 GB. Your
        file is kept as it is and never altered.
      </p>
      {error !== null && <Trouble error={error} />}
      {alone && (
        <p role="status" className="mb-3">
          {alone}
        </p>
      )}
      {!preview && (
        <>
          {}
          <div
            className={cx(
              "flex flex-col items-center rounded-lg border-2 border-dashed px-8 py-10 text-center",
              over ? "border-primary bg-primary/8" : "border-base-300",
            )}
            onDragOver={(e) => (e.preventDefault(), setOver(true))}
            onDragLeave={() => setOver(false)}
            onDrop={(e) => (e.preventDefault(), setOver(false), choose(e.dataTransfer.files))}
          >
            <p className="mb-3">Drop a file here, or</p>
            <button className="btn btn-primary" onClick={() => file.current?.click()} disabled={take_in.isPending}>
              {take_in.isPending ? "Taking it in …" : "Choose a file"}
            </button>
            {take_in.isPending && (
              <button className="btn btn-sm mt-3" onClick={() => breaker.current?.abort()}>
                Stop
              </button>
            )}
            <input
              ref={file}
              type="file"
              accept=".csv,.tsv,.txt,.xlsx,.ods,.json,.jsonl,.ndjson,.parquet,.arrow,.feather,.zip,text/*"
              className="sr-only"
              aria-label="File to bring in"
              tabIndex={-1}
              onChange={(e) => (choose(e.target.files), (e.target.value = ""))}
            />
          </div>
          <label className="field mt-6 block">
            <span>Or paste cells copied from a spreadsheet</span>
            <textarea
              className="textarea h-36 w-full font-mono text-sm"
              value={pasted}
              placeholder={"town\tvisits\nCorrin\t41\nHollin\t38"}
              onChange={(e) => setPasted(e.target.value)}
            />
          </label>
          <button
            className="btn mt-2"
            disabled={!pasted.trim() || take_in.isPending}
            onClick={() => take_in.mutate({ data: pasted, filename: "pasted cells.tsv" })}
          >
            Use the pasted cells
          </button>
          <ArchiveShelf study={study} took={took} failed={setError} />
        </>
      )}
      {preview && brought && (
        <>
          <div className="flex items-end gap-4">
            <label className="field flex-1">
              <span>Name of the table</span>
              <input className="input w-full" value={name} onChange={(e) => setName(e.target.value)} />
            </label>
            <button
              className="btn"
              onClick={() => (setPreview(null), setBrought(null), setError(null))}
              disabled={Boolean(job)}
            >
              Another file
            </button>
            <button className="btn btn-primary" onClick={() => make.mutate()} disabled={make.isPending || Boolean(job)}>
              Make the table
            </button>
          </div>
          {working && <JobBar job={working} />}
          {again.isPending && (
            <p className="muted mt-3 flex items-center gap-3 text-sm" role="status">
              Looking into the file …{" "}
              <button className="btn btn-xs" onClick={() => breaker.current?.abort()}>
                Stop
              </button>
            </p>
          )}
          {preview.options.format === "text" || preview.options.format === undefined ? (
            <ReadControls
              options={preview.options}
              change={(options) => again.mutate(options)}
              busy={again.isPending}
            />
          ) : (
            <SheetControls
              options={preview.options}
              sheets={preview.sheets ?? []}
              change={(options) => again.mutate(options)}
              busy={again.isPending}
            />
          )}
          <p className="muted mt-3 text-sm">
            {brought.filename}, {size(brought.size)}: {count(preview.n_columns, "column")},{" "}
            {preview.whole ? count(preview.rows_seen, "row") : `the first ${count(preview.rows_seen, "row")} looked at`}
            .
          </p>
          {preview.notices.length > 0 && (
            <ul aria-label="What was noticed" className="border-warning my-3 border-l-4 pl-4 text-[0.95rem]">
              {preview.notices.slice(0, 8).map((n, i) => (
                <li key={i}>{n.text}</li>
              ))}
              {preview.notices.length > 8 && <li>and {preview.notices.length - 8} more</li>}
            </ul>
          )}
          <PreviewTable preview={preview} change={(options) => again.mutate(options)} />
        </>
      )}
    </div>
  );
}

function size(bytes: number): string {
  return bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}
