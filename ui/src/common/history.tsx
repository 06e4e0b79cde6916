// Who did what when; back to any moment, and moments with a name.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type S } from "../client/api";
import { refreshStudy, useUndo } from "../client/hooks";
import { Modal } from "./modal";
import { say, sayProblem } from "./toasts";

export function History({ study, close }: { study: string; close: () => void }) {
  const client = useQueryClient();
  const back = useUndo(study);
  const [naming, setNaming] = useState<number | null>(null);
  const { data } = useQuery({
    queryKey: ["changes", study],
    queryFn: () => take(api.GET("/api/studies/{study_id}/changes", { params: { path: { study_id: study } } })),
  });
  const where = (id: number) => ({ params: { path: { study_id: study, change_id: id } } });
  const go = (change: S["ChangeOut"]) =>
    void take(api.POST("/api/studies/{study_id}/changes/{change_id}/go", where(change.id))).then(async () => {
      await refreshStudy(client, study);
      say(`The study is as it was after: ${change.moment ?? change.label}`, {
        label: "Undo",
        run: () => back.mutate("undo"),
      });
    }, sayProblem);
  const name = (change: S["ChangeOut"], text: string) => {
    setNaming(null);
    if (text !== (change.moment ?? ""))
      void take(
        api.PUT("/api/studies/{study_id}/changes/{change_id}/moment", {
          ...where(change.id),
          body: { name: text || null },
        }),
      ).then(() => client.invalidateQueries({ queryKey: ["changes", study] }), sayProblem);
  };
  return (
    <Modal title="History of the study" close={close} wide>
      {data?.length === 0 && (
        <p className="muted">Nothing has been changed yet. Every change will stand here, and can be gone back to.</p>
      )}
      <ol className="max-h-[60vh] overflow-auto">
        {data?.map((c, i) => (
          <li
            key={c.id}
            className={`rule group flex items-baseline gap-3 border-b py-2 text-[0.95rem] ${c.undone ? "muted" : ""}`}
          >
            <span className="muted w-32 shrink-0 text-[0.82rem]">
              {new Date(c.at).toLocaleString("en-GB", {
                day: "numeric",
                month: "short",
                hour: "2-digit",
                minute: "2-digit",
              })}
              {c.who ? `, ${c.who}` : ""}
            </span>
            <span className="min-w-0 flex-1">
              {c.label}
              {c.undone && <span className="muted"> (undone)</span>}
              {naming === c.id ? (
                <input
                  className="input input-xs ml-3 w-56"
                  aria-label="Name of this moment"
                  autoFocus
                  defaultValue={c.moment ?? ""}
                  placeholder="a name for this moment"
                  onBlur={(e) => name(c, e.target.value.trim())}
                  onKeyDown={(e) =>
                    e.key === "Enter"
                      ? e.currentTarget.blur()
                      : e.key === "Escape" && (e.stopPropagation(), setNaming(null))
                  }
                />
              ) : (
                c.moment && <span className="text-primary ml-3 font-semibold">{c.moment}</span>
              )}
            </span>
            <button type="button" className="link-quiet !font-normal" onClick={() => setNaming(c.id)}>
              {c.moment ? "Rename" : "Name it"}
            </button>
            {i === 0 && !c.undone ? (
              <span className="muted w-20 text-right">now</span>
            ) : (
              <button type="button" className="link-quiet w-20 !text-right" onClick={() => go(c)}>
                Go there
              </button>
            )}
          </li>
        ))}
      </ol>
    </Modal>
  );
}
