// What can be put in, what is out of date or has changed, how the report is set, and saving it.
import type { Editor } from "@tiptap/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Entry, type S } from "../client/api";
import { refreshStudy, useContents } from "../client/hooks";
import { endOf } from "../common/job";
import { sayProblem } from "../common/toasts";
import { Choice, Num } from "../asking/simple";
import { newUid } from "./embeds";
import { SaveAs } from "./save-as";
import { WordsDialog } from "./words-dialog";

const PARTS = ["headline", "groups", "frequencies", "pairs", "figure"];
const MANY = 6;

type Props = {
  study: string;
  state: S["ReportState"];
  editor: Editor;
  renewAll: () => void;
  flush: () => Promise<void>;
  changeReport: (body: S["ReportChange"]) => void;
};

export function PutIn({ study, state, editor, renewAll, flush, changeReport }: Props) {
  const { data } = useContents(study);
  const [words, setWords] = useState<Entry | null>(null);
  const [text, setText] = useState("");
  const sources = data?.entries.filter((e) => e.type === "question" || e.type === "figure") ?? [];
  const placed = new Set(state.embeds.map((e) => e.ref));
  const found = sources.filter((e) => e.name.toLowerCase().includes(text.trim().toLowerCase()));
  // What is not in the report comes first; everything can be quoted again and again.
  const listed = [...found.filter((e) => !placed.has(e.id)), ...found.filter((e) => placed.has(e.id))];
  const insert = (nodes: object | object[]) => editor.chain().focus().insertContent(nodes).run();
  const place = (e: Entry) =>
    insert([
      e.type === "question"
        ? { type: "answer", attrs: { uid: newUid(), question: e.id, parts: PARTS } }
        : { type: "figure", attrs: { uid: newUid(), figure: e.id } },
      { type: "paragraph" },
    ]);
  const write = (e: Entry) =>
    void take(
      api.POST("/api/studies/{study_id}/questions/{item_id}/write-up", {
        params: { path: { study_id: study, item_id: e.id } },
      }),
    ).then((w) => insert(w.nodes), sayProblem);
  const quote = (p: S["PhraseOut"]) => {
    insert({ type: "live", attrs: { uid: newUid(), question: words?.id, key: p.key, said: p.text, holds: null } });
    setWords(null);
  };
  return (
    <>
      <h2 className="font-bold">Put in</h2>
      {sources.length === 0 && (
        <p className="muted mt-1 text-[0.92rem]">Ask a question first; its answer can then stand here.</p>
      )}
      {sources.length > MANY && (
        <input
          className="input input-sm mt-1 w-full"
          aria-label="Search answers and figures"
          placeholder="Search answers and figures"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      )}
      <ul className="max-h-[19rem] overflow-y-auto">
        {listed.map((e) => (
          <li key={e.id} className="rule border-b py-1.5" data-source={e.id}>
            <span className="block truncate" title={e.name}>
              {e.name}
            </span>
            <span className="flex flex-wrap gap-x-3 text-[0.85rem]">
              <button type="button" className="link-quiet" aria-label={`Place ${e.name}`} onClick={() => place(e)}>
                Place
              </button>
              {e.type === "question" && (
                <button
                  type="button"
                  className="link-quiet"
                  aria-label={`Words of ${e.name}`}
                  onClick={() => setWords(e)}
                >
                  Words
                </button>
              )}
              {e.type === "question" && (
                <button type="button" className="link-quiet" aria-label={`Write up ${e.name}`} onClick={() => write(e)}>
                  Write up
                </button>
              )}
              <span className="muted ml-auto">
                {e.type === "question" ? "answer" : "figure"}
                {placed.has(e.id) ? ", placed" : ""}
              </span>
            </span>
          </li>
        ))}
      </ul>
      <OutOfDate study={study} state={state} renewAll={renewAll} />
      <Changed state={state} note={() => void flush().then(() => changeReport({ noted: true }))} />
      <details className="mt-5">
        <summary className="cursor-pointer font-bold">How it is set</summary>
        <div className="mt-2 grid grid-cols-2 gap-2">
          <Choice
            label="Tables"
            value={state.look.tables ?? "journal"}
            options={{ journal: "as in a journal", plain: "plain" }}
            set={(v) => changeReport({ look: { ...state.look, tables: v as "journal" }, noted: false })}
          />
          <Choice
            label="Numbers"
            value={state.look.decimal ?? "point"}
            options={{ point: "decimal point", comma: "decimal comma" }}
            set={(v) => changeReport({ look: { ...state.look, decimal: v as "point" }, noted: false })}
          />
          <Choice
            label="Paper"
            value={state.look.paper ?? "a4"}
            options={{ a4: "A4", letter: "Letter" }}
            set={(v) => changeReport({ look: { ...state.look, paper: v as "a4" }, noted: false })}
          />
          <Num
            label="Type, pt"
            value={state.look.type_pt}
            min={7}
            max={24}
            set={(v) => v !== null && changeReport({ look: { ...state.look, type_pt: v }, noted: false })}
          />
          <Num
            label="Distance of lines"
            value={state.look.leading}
            min={1}
            max={2.5}
            set={(v) => v !== null && changeReport({ look: { ...state.look, leading: v }, noted: false })}
          />
        </div>
      </details>
      <SaveAs study={study} id={state.id} flush={flush} />
      {words && (
        <WordsDialog study={study} question={words.id} name={words.name} put={quote} close={() => setWords(null)} />
      )}
    </>
  );
}

function OutOfDate({ study, state, renewAll }: { study: string; state: S["ReportState"]; renewAll: () => void }) {
  const client = useQueryClient();
  const words = (state.live ?? [])
    .filter((w) => w.out_of_date)
    .map((w) => ({ uid: w.uid, ref: w.ref, name: w.name, kind: "answer", problem: null }));
  const all = [...state.embeds.filter((e) => e.out_of_date), ...words];
  const old = all.filter((e, i) => all.findIndex((x) => x.ref === e.ref) === i);
  const renew = (e: { kind: string; ref: string }) => {
    const where = { params: { path: { study_id: study, item_id: e.ref } } };
    void (
      e.kind === "answer"
        ? take(api.POST("/api/studies/{study_id}/questions/{item_id}/answer", where))
        : take(api.POST("/api/studies/{study_id}/figures/{item_id}/draw", where))
    )
      .then((state) => endOf(state.job))
      .then(() => refreshStudy(client, study), sayProblem);
  };
  if (old.length === 0) return null;
  return (
    <section className="mt-5">
      <h2 className="font-bold">Out of date</h2>
      <ul>
        {old.map((e) => (
          <li key={e.uid} className="py-1.5">
            <span className="flex items-baseline justify-between gap-2">
              <span className="truncate">{e.name}</span>
              <span className="muted text-sm">{e.kind}</span>
            </span>
            <span className="muted block text-[0.88rem]">{e.problem ?? "The table has changed since."}</span>
            <button type="button" className="btn btn-xs mt-1" onClick={() => renew(e)}>
              Renew
            </button>
          </li>
        ))}
      </ul>
      {old.length > 1 && (
        <button type="button" className="link-quiet text-sm" onClick={renewAll}>
          Renew all
        </button>
      )}
    </section>
  );
}

/** Values that read otherwise than when they were put in or last taken note of, before and after. */
function Changed({ state, note }: { state: S["ReportState"]; note: () => void }) {
  const words = (state.live ?? []).filter((w) => w.missing || w.flipped || w.text !== w.said);
  const answers = state.embeds.filter((e) => e.was);
  if (words.length + answers.length === 0) return null;
  return (
    <section className="mt-5" aria-label="Changed">
      <h2 className="font-bold">Changed since you took note</h2>
      <ul className="text-[0.88rem]">
        {answers.map((e) => (
          <li key={e.uid} className="rule border-b py-1.5">
            <span className="block truncate font-semibold">{e.name}</span>
            <Before was={e.was ?? ""} now={e.now ?? ""} />
          </li>
        ))}
        {words.map((w) => (
          <li key={w.uid} className="rule border-b py-1.5">
            <span className="block truncate font-semibold">{w.name}</span>
            {w.missing ? (
              <span className="block">“{w.said}” is no longer in the answer.</span>
            ) : (
              w.text !== w.said && <Before was={w.said} now={w.text} />
            )}
            {w.flipped && (
              <span className="text-error block">The evidence has changed sides: read the sentence again.</span>
            )}
          </li>
        ))}
      </ul>
      <button type="button" className="btn btn-xs mt-1.5" onClick={note}>
        Take note of all
      </button>
    </section>
  );
}

function Before({ was, now }: { was: string; now: string }) {
  return (
    <>
      <span className="block">
        <span className="muted">was</span> <del className="decoration-1">{was}</del>
      </span>
      <span className="block">
        <span className="muted">is now</span> {now}
      </span>
    </>
  );
}
