// What can be put in, what is out of date, and saving.
import type { Editor } from "@tiptap/react";
import { useQueryClient } from "@tanstack/react-query";
import { api, take, type Entry, type S } from "../client/api";
import { refreshStudy, useContents } from "../client/hooks";
import { sayProblem } from "../common/toasts";
import { newUid } from "./embeds";

const FILES: [string, string][] = [["docx", "Document"], ["pdf", "PDF"], ["html", "HTML"], ["md", "Markdown"]];
const PARTS = ["headline", "groups", "frequencies", "pairs", "figure"];

export function PutIn({ study, state, editor, renewAll }: { study: string; state: S["ReportState"]; editor: Editor; renewAll: () => void }) {
  const { data } = useContents(study);
  const client = useQueryClient();
  const sources = data?.entries.filter((e) => e.type === "question" || e.type === "figure") ?? [];
  const placed = new Set(state.embeds.map((e) => e.ref));
  const waiting = sources.filter((e) => !placed.has(e.id));
  const old = state.embeds.filter((e) => e.out_of_date);
  const put = (e: Entry) => {
    const node = e.type === "question" ? { type: "answer", attrs: { uid: newUid(), question: e.id, parts: PARTS } } : { type: "figure", attrs: { uid: newUid(), figure: e.id } };
    editor.chain().focus().insertContent([node, { type: "paragraph" }]).run();
  };
  const renew = (e: S["EmbedOut"]) => {
    const where = { params: { path: { study_id: study, item_id: e.ref } } };
    void (e.kind === "answer" ? take(api.POST("/api/studies/{study_id}/questions/{item_id}/answer", where)) : take(api.GET("/api/studies/{study_id}/figures/{item_id}", where))).then(() => refreshStudy(client, study), sayProblem);
  };
  return (
    <>
      <h2 className="font-bold">Put in</h2>
      {waiting.length === 0 && <p className="muted mt-1 text-[0.92rem]">{sources.length ? "Every answer and figure is in the report." : "Ask a question first; its answer can then stand here."}</p>}
      <ul>
        {waiting.map((e) => (
          <li key={e.id} className="rule border-b py-2">
            <button type="button" className="hover:text-primary block w-full text-left" onClick={() => put(e)}><span className="block truncate">{e.name}</span><span className="muted block text-[0.85rem]">{e.type === "question" ? "answer" : "figure"}, not in the report</span></button>
          </li>
        ))}
      </ul>
      {old.length > 0 && (
        <section className="mt-5">
          <h2 className="font-bold">Out of date</h2>
          <ul>
            {old.map((e) => (
              <li key={e.uid} className="py-1.5"><span className="block truncate">{e.name}</span><span className="muted block text-[0.88rem]">The table has changed since.</span><button type="button" className="btn btn-xs mt-1" onClick={() => renew(e)}>Renew</button></li>
            ))}
          </ul>
          {old.length > 1 && <button type="button" className="link-quiet text-sm" onClick={renewAll}>Renew all</button>}
        </section>
      )}
      <h2 className="mb-1.5 mt-6 font-bold">Save as</h2>
      <div className="grid grid-cols-2 gap-2">
        {FILES.map(([kind, words], i) => <a key={kind} className={`btn btn-sm ${i === 0 ? "btn-primary" : ""}`} href={`/api/studies/${study}/reports/${state.id}/file.${kind}`} download>{words}</a>)}
      </div>
    </>
  );
}
