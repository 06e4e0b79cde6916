// A figure: the sentence, the figure at its printed proportions with its caption, and how it looks.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useParams } from "react-router";
import { api, take, type Figure, type S } from "../client/api";
import { useAddToReport, useCatalogue, useContents, useTable } from "../client/hooks";
import { Loading, Menu, MenuItem, Trouble } from "../common/bits";
import { WithMargin } from "../common/frame";
import { Picture } from "../common/picture";
import { Sentence, type SlotSchema } from "../common/sentence";
import { Spans } from "../common/spans";
import { sayProblem } from "../common/toasts";
import { Appearance } from "./appearance";
import { LayerSlot } from "./layer-slot";

const SENTENCES: Record<string, { words: string; template: string; needed: string[] }> = {
  stacked: { words: "one column of values, one of groups", template: "Show {response} by {groups} as {show}", needed: ["response", "groups"] },
  side_by_side: { words: "one column per sample", template: "Show the samples {samples} as {show}", needed: ["samples"] },
};

export function FigurePage() {
  const { study = "", id = "" } = useParams();
  return <FigureView key={id} study={study} id={id} />;
}

function FigureView({ study, id }: { study: string; id: string }) {
  const client = useQueryClient();
  const key = ["figure", study, id];
  const where = { params: { path: { study_id: study, item_id: id } } };
  const { data: state, error } = useQuery({ queryKey: key, queryFn: () => take(api.GET("/api/studies/{study_id}/figures/{item_id}", where)) });
  const { data: catalogue } = useCatalogue();
  const { data: contents } = useContents(study);
  const table = useTable(study, state?.table);
  const add = useAddToReport(study);
  // Changes are sent one after the other, and only the last one's answer is taken over: none undoes a later one.
  const save = useMutation({
    mutationKey: key,
    scope: { id: `figure ${id}` },
    mutationFn: (body: { figure?: Figure; layout?: string; table?: string }) => take(api.PATCH("/api/studies/{study_id}/figures/{item_id}", { ...where, body })),
    onMutate: (body) => client.setQueryData(key, (old: S["FigureState"] | undefined) => (old ? { ...old, ...body } : old)),
    onSuccess: (next) => {
      if (client.isMutating({ mutationKey: key }) <= 1) client.setQueryData(key, next);
      void client.invalidateQueries({ queryKey: ["contents", study] });
      void client.invalidateQueries({ queryKey: ["report", study] });
    },
    onError: (e) => (sayProblem(e), void client.invalidateQueries({ queryKey: key })),
  });
  if (error) return <div className="p-8"><Trouble error={error} /></div>;
  if (!state || !catalogue) return <Loading />;
  const figure = state.figure;
  const change = (part: Partial<Figure>) => save.mutate({ figure: { ...figure, ...part } });
  const sentence = SENTENCES[state.layout] ?? SENTENCES.stacked!;
  const schema = Object.fromEntries(Object.entries((catalogue.figure.properties ?? {}) as Record<string, SlotSchema>).map(([k, v]) => [k, { ...v, title: { response: "Measurement", groups: "Groups", samples: "Samples" }[k] ?? k }]));
  const tables = contents?.entries.filter((e) => e.type === "table") ?? [];
  const drawing = state.drawing;
  const image = (kind: string) => `/api/studies/${study}/figures/${id}/image.${kind}`;
  const zoom = Math.max(1, Math.min(1.6, 620 / (figure.width_mm * 3.78)));
  return (
    <div className="flex min-h-full flex-col">
      <header className="rule bg-base-100 sticky top-0 z-30 border-b px-7 pb-3 pt-5">
        <Sentence template={sentence.template} schema={schema} needed={sentence.needed} columns={table.data?.table?.columns ?? []} spec={figure as unknown as Record<string, unknown>} wrong={state.problem?.column as string | null}
          set={(field, value) => change({ [field]: value } as Partial<Figure>)} extra={{ show: <LayerSlot value={figure.show} set={(show) => change({ show })} /> }} />
        <p className="mt-1.5 flex flex-wrap gap-x-5 text-[0.95rem]">
          <span><span className="muted">Table </span>
            <select className="plain-select" aria-label="Table" value={state.table} onChange={(e) => save.mutate({ table: e.target.value })}>{tables.map((t) => <option key={t.id} value={t.id}>{t.name}</option>)}</select>
          </span>
          <select className="plain-select !font-normal" aria-label="How the data lie" value={state.layout} onChange={(e) => save.mutate({ layout: e.target.value, figure: { ...figure, response: null, groups: null, samples: [], marks_from: null } })}>
            {Object.entries(SENTENCES).map(([k, v]) => <option key={k} value={k}>{v.words}</option>)}
          </select>
        </p>
      </header>
      <WithMargin
        label="Appearance"
        margin={
          <>
            <Appearance state={state} change={change} />
            <div className="mt-6 flex gap-2">
              <button type="button" className="btn btn-primary btn-sm flex-1" data-key="add-to-report" disabled={!drawing || add.isPending} onClick={() => add.mutate({ kind: "figure", ref: id })}>Add to report</button>
              <Menu label="Save the image" button={<span className="btn btn-sm">Save image</span>}>
                {(close) => (
                  <>
                    <MenuItem onClick={() => (window.location.assign(image("svg")), close())}>SVG</MenuItem>
                    <MenuItem onClick={() => (window.location.assign(image("png")), close())}>PNG, 300 dots per inch</MenuItem>
                  </>
                )}
              </Menu>
            </div>
          </>
        }
      >
        <div className="bg-base-200/50 flex min-h-full flex-col items-center px-7 py-5">
          {state.problem && <Trouble error={new Error(String(state.problem.message))} />}
          {drawing && (
            <figure className="max-w-full rounded-md bg-white p-6 text-[#222a3c] shadow-[0_0_0_1px_var(--color-base-300)]">
              <Picture vega={drawing.vega} alt={drawing.alt} paper zoom={zoom} />
              <Caption state={state} change={change} width={figure.width_mm * 3.78 * zoom} />
            </figure>
          )}
          {drawing && <p className="muted mt-2 text-sm">{figure.width_mm} × {figure.height_mm} mm on the page{zoom !== 1 ? `, shown ${zoom.toFixed(1)} times as large` : ""}</p>}
        </div>
      </WithMargin>
    </div>
  );
}

function Caption({ state, change, width }: { state: S["FigureState"]; change: (part: Partial<Figure>) => void; width: number }) {
  const [text, setText] = useState<string | null>(null);
  const drawing = state.drawing;
  const words = drawing?.caption.map((s) => s.t).join("") ?? "";
  const key = `yavik.caption.${state.id}`;
  useEffect(() => {
    setText(localStorage.getItem(key));
  }, [key]);
  if (!drawing) return null;
  const keep = (t: string | null) => (t === null ? localStorage.removeItem(key) : localStorage.setItem(key, t), setText(t));
  if (text !== null) {
    return (
      <div style={{ maxWidth: width }} className="mt-3 w-full">
        <textarea className="textarea w-full bg-white font-serif text-[#222a3c]" rows={5} aria-label="Caption" value={text} autoFocus onChange={(e) => keep(e.target.value)} onKeyDown={(e) => e.key === "Escape" && keep(null)} />
        <div className="mt-1 flex gap-4 text-sm">
          <button className="font-semibold underline" onClick={() => (change({ caption: text.trim() || null }), keep(null))}>Keep</button>
          <button className="underline" onClick={() => keep(null)}>Cancel</button>
        </div>
      </div>
    );
  }
  return (
    <figcaption style={{ maxWidth: width }} className="mt-3 font-serif text-[1rem] leading-normal">
      <Spans spans={drawing.caption} />{" "}
      <button className="ml-1 text-sm font-semibold text-[#6a2a70] hover:underline" onClick={() => keep(words)}>Edit caption</button>
      {state.figure.caption && <button className="ml-3 text-sm font-semibold text-[#6a2a70] hover:underline" onClick={() => change({ caption: null })}>Let it write itself</button>}
    </figcaption>
  );
}
