// A report: a document with text and live answers, numbered by the server, saved as it goes.
import { cx } from "../common/classes";
import { EditorContent, useEditor, type Editor, type JSONContent } from "@tiptap/react";
import StarterKit from "@tiptap/starter-kit";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import { api, take, type S } from "../client/api";
import { refreshStudy } from "../client/hooks";
import { Loading, Trouble } from "../common/bits";
import { draftOf, dropDraft, keepDraft, leftBehind } from "../client/drafts";
import { follow, together } from "../client/together";
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
  const timer = useRef(0);
  const line = useRef<Promise<void>>(Promise.resolve());
  const editing = useRef<Editor | null>(null);
  // The revision that the words on the page were written on.
  const seen = useRef(state.revision);
  const [saving, setSaving] = useState<"saved" | "waiting" | "failed">("saved");
  const save = useCallback(
    async (doc: JSONContent, since = seen.current, done?: () => void) => {
      const params = { path: { study_id: study, item_id: state.id } };
      const keepBoth = {
        label: "Keep both: this text as a report of its own",
        run: () => asReport(study, `${state.name} (my text)`, doc),
      };
      try {
        const told = await together(
          ({ header }) =>
            take(
              api.PUT("/api/studies/{study_id}/reports/{item_id}", {
                params: { ...params, header },
                body: { doc: doc as Record<string, unknown>, noted: false },
              }),
            ),
          since,
          state.name,
          { keepBoth },
        );
        const next = told ?? (await take(api.GET("/api/studies/{study_id}/reports/{item_id}", { params })));
        // Words typed since are still to be saved, on the text as it was read.
        const waiting = draftOf(state.id);
        const last = done ? !waiting : JSON.stringify(waiting?.doc) === JSON.stringify(doc);
        const alone = told !== null && !done && next.revision <= since + 1;
        if (last && !alone) editing.current?.commands.setContent(next.doc as JSONContent, { emitUpdate: false });
        seen.current = told ? follow(since, next.revision, last) : next.revision;
        client.setQueryData(["report", study, state.id], next);
        void client.invalidateQueries({ queryKey: ["contents", study] });
        done?.();
        if (last || !told) {
          dropDraft(state.id);
          setSaving("saved");
        }
      } catch (e) {
        setSaving("failed");
        sayProblem(e);
      }
    },
    [client, state.id, state.name, study],
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
    content: state.doc as JSONContent,
    editorProps: { attributes: { "aria-label": "The report's text", role: "textbox", "aria-multiline": "true" } },
    onUpdate: ({ editor: e }) => {
      const doc = e.getJSON();
      // Words survive a reload even before the server has them.
      keepDraft(state.id, { doc, revision: seen.current });
      setSaving("waiting");
      window.clearTimeout(timer.current);
      timer.current = window.setTimeout(() => {
        line.current = line.current.then(() => save(doc));
      }, WAIT);
    },
  });
  useEffect(() => {
    // Undo, or "Add to report" elsewhere, changed the text: take it over, unless words here wait to be saved.
    if (editor && state.revision > seen.current && saving === "saved" && !draftOf(state.id)) {
      seen.current = state.revision;
      editor.commands.setContent(state.doc as JSONContent, { emitUpdate: false });
    }
  }, [editor, state, saving]);
  useEffect(() => {
    editing.current = editor;
  }, [editor]);
  useEffect(() => {
    void leftBehind<JSONContent>(state.id).then((found) => {
      for (const { draft, done } of found)
        line.current = line.current.then(() => save(draft.doc, draft.revision, done));
    });
    // Words typed just before the page is left are kept too.
    return () => void flushed.current();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when the page opens
  }, []);
  const flushed = useRef<() => Promise<void>>(() => Promise.resolve());
  /** Waits until what is typed is on the server: files are made from there. */
  const flush = useCallback(async () => {
    window.clearTimeout(timer.current);
    const draft = draftOf<JSONContent>(state.id);
    if (draft) line.current = line.current.then(() => save(draft.doc));
    await line.current;
  }, [save, state.id]);
  useEffect(() => {
    flushed.current = flush;
  }, [flush]);
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

async function asReport(study: string, name: string, doc: JSONContent): Promise<void> {
  const made = await take(
    api.POST("/api/studies/{study_id}/reports", {
      params: { path: { study_id: study } },
      body: { name, template: "empty" },
    }),
  );
  await take(
    api.PUT("/api/studies/{study_id}/reports/{item_id}", {
      params: { path: { study_id: study, item_id: made.id } },
      body: { doc: doc as Record<string, unknown>, noted: false },
    }),
  );
}
