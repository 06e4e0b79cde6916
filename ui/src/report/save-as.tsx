// Saving the report as a file: made on the server, with how far it is, then fetched.
import { useState } from "react";
import { api, take } from "../client/api";
import { sayProblem } from "../common/toasts";

const FILES = [
  ["docx", "Document"],
  ["pdf", "PDF"],
  ["html", "HTML"],
  ["md", "Markdown"],
] as const;
type Kind = (typeof FILES)[number][0] | "zip";
const BEAT = 120;

export function SaveAs({ study, id, flush }: { study: string; id: string; flush: () => Promise<void> }) {
  const [busy, setBusy] = useState<{ kind: Kind; part: number } | null>(null);
  const save = async (kind: Kind) => {
    setBusy({ kind, part: 0 });
    try {
      await flush();
      const path = { study_id: study, item_id: id };
      let state = await take(
        api.POST("/api/studies/{study_id}/reports/{item_id}/files/{kind}", { params: { path: { ...path, kind } } }),
      );
      while (!state.done) {
        await new Promise((r) => setTimeout(r, BEAT));
        state = await take(
          api.GET("/api/studies/{study_id}/reports/{item_id}/files/{saving}/state", {
            params: { path: { ...path, saving: state.id } },
          }),
        );
        setBusy({ kind, part: state.part });
      }
      if (state.problem) throw new Error(state.problem);
      window.location.assign(`/api/studies/${study}/reports/${id}/files/${state.id}/content`);
    } catch (e) {
      sayProblem(e);
    }
    setBusy(null);
  };
  return (
    <section className="mt-6" aria-label="Save as">
      <h2 className="mb-1.5 font-bold">Save as</h2>
      <div className="grid grid-cols-2 gap-2">
        {FILES.map(([kind, words], i) => (
          <button
            key={kind}
            type="button"
            className={`btn btn-sm ${i === 0 ? "btn-primary" : ""}`}
            disabled={busy !== null}
            onClick={() => void save(kind)}
          >
            {words}
          </button>
        ))}
      </div>
      <button
        type="button"
        className="link-quiet mt-2 text-sm"
        disabled={busy !== null}
        onClick={() => void save("zip")}
      >
        Markdown with its pictures as files
      </button>
      {busy && (
        <p className="mt-2 text-sm" role="status">
          <progress className="progress progress-primary w-full" value={busy.part} max={1} aria-label="Saving" /> Saving
          …
        </p>
      )}
    </section>
  );
}
