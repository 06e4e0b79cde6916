// The words of an answer: searched, and put into the sentence where the cursor stands.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type S } from "../client/api";
import { Loading } from "../common/bits";
import { Modal } from "../common/modal";
import { Spans } from "../common/spans";

const MOST = 120;

export function WordsDialog({
  study,
  question,
  name,
  put,
  close,
}: {
  study: string;
  question: string;
  name: string;
  put: (phrase: S["PhraseOut"]) => void;
  close: () => void;
}) {
  const [text, setText] = useState("");
  const { data } = useQuery({
    queryKey: ["phrases", study, question],
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/questions/{item_id}/phrases", {
          params: { path: { study_id: study, item_id: question } },
        }),
      ),
  });
  const wanted = text.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const found = (data ?? []).filter((p) => wanted.every((w) => `${p.where} ${p.text}`.toLowerCase().includes(w)));
  return (
    <Modal title={`Words of “${name}”`} close={close}>
      <input
        className="input input-sm w-full"
        aria-label="Search the words"
        placeholder="a group, a test, a number"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {!data && <Loading />}
      {data?.length === 0 && <p className="muted mt-3">This question has no answer yet.</p>}
      <ul className="mt-2 max-h-[24rem] overflow-y-auto">
        {found.slice(0, MOST).map((p) => (
          <li key={p.key} className="rule border-b">
            <button
              type="button"
              data-phrase={p.key}
              className="hover:bg-base-200 block w-full px-1 py-1.5 text-left"
              onClick={() => put(p)}
            >
              <span className="block font-serif">
                <Spans spans={p.spans} />
              </span>
              <span className="muted block text-[0.82rem]">{p.where}</span>
            </button>
          </li>
        ))}
      </ul>
      {found.length > MOST && <p className="muted mt-1 text-sm">{found.length - MOST} more: search to find them.</p>}
    </Modal>
  );
}
