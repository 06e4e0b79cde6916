import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, sendFile, take, type S } from "../client/api";
import { useStudies } from "../client/hooks";
import { count, Empty, Loading, Trouble } from "../common/bits";
import { Menu, MenuItem } from "../common/pop";
import { say, sayProblem } from "../common/toasts";

export function StudiesPage() {
  const { data, error } = useStudies();
  const client = useQueryClient();
  const go = useNavigate();
  const renew = () => client.invalidateQueries({ queryKey: ["studies"] });
  const begin = useMutation({
    mutationFn: () => take(api.POST("/api/studies", { body: { name: "Untitled study" } })),
    onSuccess: (made) => (void renew(), go(`/s/${made.id}`)),
    onError: sayProblem,
  });
  const demo = useMutation({
    mutationFn: () => take(api.POST("/api/studies/demo")),
    onSuccess: (made) => (void renew(), go(`/s/${made.id}`)),
    onError: sayProblem,
  });
  const zip = useRef<HTMLInputElement>(null);
  const unpack = useMutation({
    mutationFn: (file: File) => sendFile<S["StudyOut"]>("/api/unpack", file),
    onSuccess: (made) => (void renew(), go(`/s/${made.id}`)),
    onError: sayProblem,
  });
  if (error) return <Trouble error={error} />;
  if (!data) return <Loading />;
  return (
    <div className="mx-auto max-w-4xl px-8 py-10">
      <div className="mb-6 flex items-end justify-between">
        <div>
          <h1 className="text-2xl font-bold">Studies</h1>
          <p className="muted">Everything stays on this computer.</p>
        </div>
        <div className="flex gap-2">
          <button className="btn" onClick={() => zip.current?.click()} disabled={unpack.isPending}>
            {unpack.isPending ? "Unpacking …" : "Open a packed study"}
          </button>
          <input
            ref={zip}
            type="file"
            accept=".zip"
            className="sr-only"
            aria-label="Packed study"
            tabIndex={-1}
            onChange={(e) => {
              if (e.target.files?.[0]) unpack.mutate(e.target.files[0]);
              e.target.value = ""; // the same file may be tried again
            }}
          />
          {!data.some((s) => s.demo) && (
            <button className="btn" onClick={() => demo.mutate()} disabled={demo.isPending}>
              Put the demo study back
            </button>
          )}
          <button className="btn btn-primary" onClick={() => begin.mutate()} disabled={begin.isPending}>
            New study
          </button>
        </div>
      </div>
      {data.length === 0 ? (
        <Empty title="No study yet">
          A study holds tables, the questions you ask about them, figures and a report. Begin one, or put the demo study
          back and look around.
        </Empty>
      ) : (
        <ul className="rule border-t">
          {data.map((s) => (
            <StudyLine key={s.id} study={s} renew={renew} />
          ))}
        </ul>
      )}
      {data.some((s) => s.demo) && (
        <p className="muted mt-6 text-sm">
          The demo study is yours to change.{" "}
          <button className="link-quiet" onClick={() => demo.mutate()} disabled={demo.isPending}>
            Put a fresh one beside it
          </button>
        </p>
      )}
    </div>
  );
}

function StudyLine({ study, renew }: { study: S["StudyOut"]; renew: () => Promise<void> }) {
  const where = { params: { path: { study_id: study.id } } };
  const rename = (name: string) =>
    void take(api.PATCH("/api/studies/{study_id}", { ...where, body: { name } })).then(renew, sayProblem);
  const [renaming, setRenaming] = useState(false);
  const restore = () => void take(api.POST("/api/studies/{study_id}/restore", where)).then(renew, sayProblem);
  const remove = () =>
    void take(api.DELETE("/api/studies/{study_id}", where)).then(async () => {
      await renew();
      say(`${study.name} deleted`, { label: "Undo", run: restore });
    }, sayProblem);
  const copy = () => void take(api.POST("/api/studies/{study_id}/duplicate", where)).then(renew, sayProblem);
  const inside = [
    count(study.tables, "table"),
    count(study.questions, "question"),
    count(study.figures, "figure"),
    study.reports ? count(study.reports, "report") : "",
  ]
    .filter(Boolean)
    .join(", ");
  return (
    <li className="rule flex items-center gap-6 border-b py-4">
      <div className="min-w-0 flex-1">
        {renaming ? (
          <EditableInput name={study.name} done={(n) => (setRenaming(false), n && rename(n))} />
        ) : (
          <Link to={`/s/${study.id}`} className="block truncate text-lg font-semibold hover:underline">
            {study.name}
          </Link>
        )}
        <p className="muted truncate">
          {study.tables + study.questions + study.figures + study.reports ? inside : "Nothing in it yet"}
          {study.demo ? " · demo" : ""}
        </p>
      </div>
      <span className="muted shrink-0 text-sm">
        touched{" "}
        {new Date(study.touched).toLocaleString("en-GB", {
          day: "numeric",
          month: "long",
          year: "numeric",
          hour: "2-digit",
          minute: "2-digit",
        })}
      </span>
      <Menu label={`Actions for ${study.name}`} button="⋯">
        <MenuItem onClick={() => setRenaming(true)}>Rename</MenuItem>
        <MenuItem onClick={() => copy()}>Duplicate</MenuItem>
        <MenuItem onClick={() => window.location.assign(`/api/studies/${study.id}/pack`)}>Pack into one file</MenuItem>
        <MenuItem onClick={() => remove()}>Delete</MenuItem>
      </Menu>
    </li>
  );
}

function EditableInput({ name, done }: { name: string; done: (name: string | null) => void }) {
  return (
    <input
      className="input input-sm w-full max-w-md"
      aria-label={`New name of ${name}`}
      defaultValue={name}
      autoFocus
      onBlur={(e) => done(e.target.value.trim() || null)}
      onKeyDown={(e) => (e.key === "Enter" ? e.currentTarget.blur() : e.key === "Escape" ? done(null) : undefined)}
    />
  );
}
