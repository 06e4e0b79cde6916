// A report: a document with text and live answers, numbered by the server, saved as it goes.
import { cx } from "../common/classes";
import { EditorContent, useEditor, type JSONContent } from "@tiptap/react";
import StarterKit from "@tiptap/starter-kit";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import { api, take, type S } from "../client/api";
import { refreshStudy } from "../client/hooks";
import { Loading, Trouble } from "../common/bits";
import { sayProblem } from "../common/toasts";
import { AppendixNode, PageBreak, Reference } from "./blocks";
import { EmbedsContext } from "./embeds";
import { INLINE } from "./inline";
import { AnswerNode, FigureNode } from "./nodes";
import { PutIn } from "./put-in";
import { Toolbar } from "./toolbar";

const WAIT = 500;

export function ReportPage() {
  const { study = "", id = "" } = useParams();
  const { data, error } = useQuery({
    queryKey: ["report", study, id],
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/reports/{item_id}", { params: { path: { study_id: study, item_id: id } } }),
      ),
  });
  if (error)
    return (
      <div className="p-8">
        <Trouble error={error} />
      </div>
    );
  return data ? <Report key={id} study={study} state={data} /> : <Loading />;
}

function Report({ study, state }: { study: string; state: S["ReportState"] }) {
  const client = useQueryClient();
  const key = `yavik.report.${state.id}`;
  const timer = useRef(0);
  const line = useRef<Promise<void>>(Promise.resolve());
  const revision = useRef(state.revision);
  const [saving, setSaving] = useState<"saved" | "waiting" | "failed">("saved");
  const save = useCallback(
    async (doc: JSONContent) => {
      try {
        const next = await take(
          api.PUT("/api/studies/{study_id}/reports/{item_id}", {
            params: { path: { study_id: study, item_id: state.id } },
            body: { doc: doc as Record<string, unknown>, noted: false },
          }),
        );
        revision.current = next.revision;
        client.setQueryData(["report", study, state.id], next);
        void client.invalidateQueries({ queryKey: ["contents", study] });
        // Words typed since are still to be saved.
        if (localStorage.getItem(key) === JSON.stringify(doc)) {
          localStorage.removeItem(key);
          setSaving("saved");
        }
      } catch (e) {
        setSaving("failed");
        sayProblem(e);
      }
    },
    [client, key, state.id, study],
  );
  const editor = useEditor({
    extensions: [
      StarterKit.configure({
        heading: { levels: [1, 2, 3] },
        code: false,
        codeBlock: false,
        strike: false,
        link: false,
        underline: false,
      }),
      AnswerNode,
      FigureNode,
      AppendixNode,
      PageBreak,
      Reference,
      ...INLINE,
    ],
    content: draftOf(key) ?? (state.doc as JSONContent),
    editorProps: { attributes: { "aria-label": "The report's text", role: "textbox", "aria-multiline": "true" } },
    onUpdate: ({ editor: e }) => {
      const doc = e.getJSON();
      // Words survive a reload even before the server has them.
      localStorage.setItem(key, JSON.stringify(doc));
      setSaving("waiting");
      window.clearTimeout(timer.current);
      timer.current = window.setTimeout(() => {
        line.current = line.current.then(() => save(doc));
      }, WAIT);
    },
  });
  useEffect(() => {
    // Undo, or "Add to report" elsewhere, changed the text: take it over, unless words here wait to be saved.
    if (editor && state.revision !== revision.current && saving === "saved") {
      revision.current = state.revision;
      editor.commands.setContent(state.doc as JSONContent, { emitUpdate: false });
    }
  }, [editor, state, saving]);
  useEffect(() => {
    const draft = draftOf(key);
    if (draft) void save(draft);
    return () => window.clearTimeout(timer.current);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when the page opens
  }, []);
  /** Waits until what is typed is on the server: files are made from there. */
  const flush = useCallback(async () => {
    window.clearTimeout(timer.current);
    const draft = draftOf(key);
    if (draft) line.current = line.current.then(() => save(draft));
    await line.current;
  }, [key, save]);
  const changeReport = (body: S["ReportChange"]) =>
    void take(
      api.PUT("/api/studies/{study_id}/reports/{item_id}", {
        params: { path: { study_id: study, item_id: state.id } },
        body,
      }),
    ).then((next) => client.setQueryData(["report", study, state.id], next), sayProblem);
  const renewAll = () =>
    void take(api.POST("/api/studies/{study_id}/renew", { params: { path: { study_id: study } } })).then(
      () => refreshStudy(client, study),
      sayProblem,
    );
  return (
    <EmbedsContext value={{ embeds: state.embeds, live: state.live ?? [], targets: state.targets ?? [], study }}>
      <div className="flex min-h-full max-[1100px]:flex-col">
        <div className="bg-base-200/50 min-w-0 flex-1 px-6 py-4">
          {editor && <Toolbar editor={editor} />}
          <div className="sheet prose-report mx-auto max-w-[46rem] px-14 py-12 max-[900px]:px-6">
            <EditorContent editor={editor} />
          </div>
          <p className="muted mx-auto mt-2 max-w-[46rem] text-sm" role="status">
            {saving === "saved"
              ? "Saved"
              : saving === "waiting"
                ? "Saving …"
                : "Not saved yet: your words are kept in this browser."}
          </p>
        </div>
        <aside
          aria-label="Put in and save"
          className={cx(
            "rule w-[270px] shrink-0 border-l p-5 max-[1100px]:w-full max-[1100px]:border-l-0",
            "max-[1100px]:border-t",
          )}
        >
          {editor && (
            <PutIn
              study={study}
              state={state}
              editor={editor}
              renewAll={renewAll}
              flush={flush}
              changeReport={changeReport}
            />
          )}
        </aside>
      </div>
    </EmbedsContext>
  );
}

function draftOf(key: string): JSONContent | null {
  return JSON.parse(localStorage.getItem(key) ?? "null") as JSONContent | null;
}
