// A figure: the sentence, the figure at its printed proportions with its caption, and how it looks.
import { cx } from "../common/classes";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { useParams } from "react-router";
import { api, fetchFile, saveFile, take, type Figure, type S } from "../client/api";
import { follow, together, type Meant } from "../client/together";
import { onTheWay, useAddToReport, useCatalogue, useContents, useTable } from "../client/hooks";
import { Empty, Loading, Trouble } from "../common/bits";
import { JobBar } from "../common/job";
import { Menu, MenuItem } from "../common/pop";
import { WithMargin } from "../common/frame";
import { Picture, type Drawn } from "../common/picture";
import { ResultTable } from "../common/result-table";
import { asList } from "../common/lists";
import { say, sayProblem } from "../common/toasts";
import { askOf, type Properties } from "../asking/ask";
import { Sentence } from "../asking/sentence";
import { Appearance, type Change, type Kind } from "./appearance";
import { Caption } from "./caption";
import { LayerSlot, type LayerCard } from "./layer-slot";
import { NoteHandles } from "./note-handles";
import { useDrawing } from "./use-drawing";
import { VISIONS, VisionFilters, visionFilter, type Vision } from "./preview";

type KindCard = Kind & {
  id: NonNullable<Figure["kind"]>;
  words: string;
  sentence: string;
  slots: Properties;
  needed: string[];
  layers: LayerCard[];
  usual: string[];
};
const NO_SLOTS: Partial<Figure> = {
  response: null,
  groups: null,
  samples: [],
  x: null,
  colour: null,
  panel: null,
  panel_rows: null,
  low: null,
  high: null,
  arrows: [],
  marks_from: null,
  brackets: [],
  order: "data",
  by_hand: [],
  x_min: null,
  x_max: null,
  y_min: null,
  y_max: null,
  x_step: null,
  y_step: null,
  x_title: null,
  y_title: null,
  x_scale: "linear",
  y_scale: "linear",
  notes: [],
  lines: [],
  ranges: [],
  caption: null,
};

export function FigurePage() {
  const { study = "", id = "" } = useParams();
  return <FigureView key={id} study={study} id={id} />;
}

/** The same columns in the slots of another kind, where they fit there. */
function carried(figure: Figure, kind: KindCard, columns: { name: string; kind: string }[]): Partial<Figure> {
  const fits = (name: string | null | undefined, field: string) =>
    columns.some((c) => c.name === name && askOf(kind.slots[field]).kinds?.includes(c.kind)) ? name : null;
  const kept = Object.fromEntries(
    Object.keys(kind.slots)
      .filter((k) => askOf(kind.slots[k]).shown !== "columns")
      .map((k) => [k, fits((figure as unknown as Record<string, string | null>)[k], k)]),
  );
  const samples = kind.slots.samples
    ? (figure.samples?.length ? figure.samples : [figure.response ?? ""]).filter((s) => fits(s, "samples"))
    : [];
  return { ...NO_SLOTS, ...kept, samples, kind: kind.id, show: kind.usual as Figure["show"] };
}

function FigureView({ study, id }: { study: string; id: string }) {
  const client = useQueryClient();
  const key = ["figure", study, id];
  const where = { params: { path: { study_id: study, item_id: id } } };
  const { data: state, error } = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET("/api/studies/{study_id}/figures/{item_id}", where)),
  });
  const { data: catalogue } = useCatalogue();
  const { data: contents } = useContents(study);
  const table = useTable(study, state?.table);
  const add = useAddToReport(study);
  const working = useDrawing(study, id, state);
  const [drawn, setDrawn] = useState<Drawn | null>(null);
  const [vision, setVision] = useState<Vision>("colour");
  // The margin stands below the sentence, however many lines that takes.
  const head = useCallback((element: HTMLElement | null) => {
    if (!element) return;
    const tell = () => element.parentElement?.style.setProperty("--head", `${element.offsetHeight}px`);
    const watch = new ResizeObserver(tell);
    watch.observe(element);
    tell();
    return () => watch.disconnect();
  }, []);
  // Changes are sent one after the other, and only the last one's answer is taken over: none undoes a later one.
  const seen = useRef(0);
  const last = () => client.isMutating({ mutationKey: key }) <= 1;
  const save = useMutation({
    mutationKey: key,
    scope: { id: `figure ${id}` },
    mutationFn: (body: { figure?: Figure; table?: string }) => {
      const send = ({ header }: { header: Meant }) =>
        take(
          api.PATCH("/api/studies/{study_id}/figures/{item_id}", {
            params: { path: where.params.path, header },
            body,
          }),
        );
      return together(send, seen.current, state?.name ?? "The figure");
    },
    onMutate: (body) => {
      const old = client.getQueryData<S["FigureState"]>(key);
      if (!old) return;
      if (last()) seen.current = old.revision;
      client.setQueryData(key, { ...old, ...body });
    },
    onSuccess: (next) => {
      if (!next) return client.invalidateQueries({ queryKey: key });
      seen.current = follow(seen.current, next.revision, last());
      if (last()) client.setQueryData(key, next);
      void client.invalidateQueries({ queryKey: ["contents", study] });
      void client.invalidateQueries({ queryKey: ["report", study] });
    },
    onError: (e) => (sayProblem(e), void client.invalidateQueries({ queryKey: key })),
  });
  if (error)
    return (
      <div className="p-8">
        <Trouble error={error} />
      </div>
    );
  if (!state || !catalogue) return <Loading />;
  const figure = state.figure;
  const kinds = catalogue.figure_kinds as unknown as KindCard[];
  const kind = kinds.find((k) => k.id === figure.kind);
  const change: Change = (part) => {
    // Several changes may come before the first has been answered: each builds on the one before.
    const now = client.getQueryData<S["FigureState"]>(key)?.figure ?? figure;
    onTheWay(save.mutateAsync({ figure: { ...now, ...part } }).catch(() => undefined));
  };
  const columns = table.data?.table?.columns ?? [];
  const tables = contents?.entries.filter((e) => e.type === "table") ?? [];
  const source = contents?.entries.find((e) => e.id === figure.question);
  const drawing = state.drawing;
  const width = figure.width_mm ?? 85;
  const zoom = Math.max(1, Math.min(1.6, 620 / (width * 3.78)));
  const missing =
    kind?.needed
      .filter((n) => !asList((figure as unknown as Record<string, unknown>)[n]).length)
      .map((n) => askOf(kind.slots[n]).placeholder ?? n) ?? [];
  const waiting = missing.length
    ? [missing.slice(0, -1).join(", "), missing[missing.length - 1]].filter(Boolean).join(" and ")
    : "";
  const warnings = [...(drawing?.warnings ?? []), ...(vision === "grey" ? (drawing?.grey ?? []) : [])];
  return (
    <div className="flex min-h-full flex-col">
      <VisionFilters />
      <header ref={head} className="rule bg-base-100 sticky top-0 z-30 border-b px-7 pb-3 pt-5">
        {kind ? (
          <Sentence
            template={kind.sentence}
            properties={kind.slots}
            needed={kind.needed}
            around={{
              columns,
              spec: figure as unknown as Record<string, unknown>,
              wrong: { column: state.problem?.column as string | null },
            }}
            set={(field, value) => change({ [field]: value } as Partial<Figure>)}
            extra={{
              show: (
                <LayerSlot
                  layers={kind.layers}
                  value={figure.show ?? []}
                  set={(show) => change({ show: show as Figure["show"] })}
                />
              ),
            }}
          />
        ) : (
          <div className="sentence">
            Show a drawing of the answer{" "}
            <a className="slot" href={`/s/${study}/q/${figure.question ?? ""}`}>
              {source?.name ?? "that was deleted"}
            </a>
          </div>
        )}
        {kind && (
          <p className="mt-1.5 flex flex-wrap gap-x-5 text-[0.95rem]">
            <span>
              <span className="muted">Table </span>
              <select
                className="plain-select"
                aria-label="Table"
                value={state.table}
                onChange={(e) => save.mutate({ table: e.target.value })}
              >
                {tables.map((t) => (
                  <option key={t.id} value={t.id}>
                    {t.name}
                  </option>
                ))}
              </select>
            </span>
            <span>
              <span className="muted">Shows </span>
              <select
                className="plain-select"
                aria-label="What the figure shows"
                value={figure.kind}
                onChange={(e) =>
                  change(
                    carried(
                      figure,
                      kinds.find((k) => k.id === e.target.value)!,
                      columns,
                    ),
                  )
                }
              >
                {kinds.map((k) => (
                  <option key={k.id} value={k.id}>
                    {k.words}
                  </option>
                ))}
              </select>
            </span>
          </p>
        )}
      </header>
      <WithMargin
        label="Appearance"
        apart
        margin={
          <>
            <Appearance
              state={state}
              change={change}
              properties={(catalogue.figure.properties ?? {}) as Properties}
              kind={kind}
              study={study}
            />
            <div className="mt-6 flex gap-2">
              <button
                type="button"
                className="btn btn-primary btn-sm flex-1"
                data-key="add-to-report"
                disabled={!drawing || add.isPending}
                onClick={() => add.mutate({ kind: "figure", ref: id })}
              >
                Add to report
              </button>
              <SaveMenu study={study} id={id} />
            </div>
          </>
        }
      >
        <div className="bg-base-200/50 flex min-h-full flex-col items-center px-7 py-5">
          {waiting ? (
            <Empty title="The figure appears here as soon as its sentence can be read">
              <p>
                Choose {waiting}. What else stands in the sentence may stay empty; another kind of figure is chosen
                under it.
              </p>
            </Empty>
          ) : (
            state.problem && <Trouble error={new Error(String(state.problem.message))} />
          )}
          {working && (
            <div className="w-full max-w-xl">
              <JobBar job={working} />
            </div>
          )}
          {drawing && (
            <figure
              aria-busy={!!working}
              className={cx(
                "max-w-full rounded-md bg-white p-6 text-[#222a3c]",
                "shadow-[0_0_0_1px_var(--color-base-300)]",
                working && "opacity-55",
              )}
            >
              <div className="relative" style={{ filter: visionFilter(vision) }}>
                <Picture vega={drawing.vega} alt={drawing.alt} paper zoom={zoom} onDrawn={setDrawn} />
                {drawn && (figure.notes?.length ?? 0) > 0 && (
                  <NoteHandles notes={figure.notes ?? []} drawn={drawn} set={(notes) => change({ notes })} />
                )}
              </div>
              <Caption state={state} change={change} width={Math.max(width * 3.78 * zoom, 280)} />
            </figure>
          )}
          {drawing && (
            <p className="muted mt-2 flex flex-wrap justify-center gap-x-5 text-sm">
              <span>
                {figure.width_mm} × {figure.height_mm} mm on the page
                {zoom !== 1 ? `, shown ${zoom.toFixed(1)} times as large` : ""}
              </span>
              <span>
                Seen{" "}
                <select
                  className="plain-select !font-normal"
                  aria-label="Seen as"
                  value={vision}
                  onChange={(e) => setVision(e.target.value as Vision)}
                >
                  {Object.entries(VISIONS).map(([k, words]) => (
                    <option key={k} value={k}>
                      {words}
                    </option>
                  ))}
                </select>
              </span>
            </p>
          )}
          {warnings.length > 0 && (
            <ul
              className="border-warning mt-3 max-w-xl border-l-4 pl-3 text-[0.92rem]"
              role="status"
              aria-label="Warnings"
            >
              {warnings.slice(0, 6).map((w) => (
                <li key={w}>{w}</li>
              ))}
              {warnings.length > 6 && <li>and {warnings.length - 6} more pairs</li>}
            </ul>
          )}
          {drawing?.behind && (
            <details className="mt-4 w-full max-w-3xl">
              <summary className="link-quiet cursor-pointer text-sm">The data behind it, and in words</summary>
              <p className="mt-2 text-[0.95rem]">{drawing.alt}</p>
              <div className="mt-3 overflow-x-auto">
                <ResultTable block={{ ...drawing.behind, rows: drawing.behind.rows.slice(0, 200) }} />
              </div>
              {drawing.behind.rows.length > 200 && (
                <p className="muted text-sm">200 of {drawing.behind.rows.length} lines; all of them are in the file.</p>
              )}
            </details>
          )}
        </div>
      </WithMargin>
    </div>
  );
}

function SaveMenu({ study, id }: { study: string; id: string }) {
  const image = (kind: string, dpi?: number) =>
    `/api/studies/${study}/figures/${id}/image.${kind}${dpi ? `?dpi=${dpi}` : ""}`;
  const copy = async () => {
    try {
      const png = fetchFile(image("png", 300)).then((f) => f.data);
      await navigator.clipboard.write([new ClipboardItem({ "image/png": png })]);
      say("Copied: paste it where you need it");
    } catch (e) {
      sayProblem(
        e instanceof Error && e.name === "NotAllowedError"
          ? new Error("The browser does not let pages copy pictures; save it instead.")
          : e,
      );
    }
  };
  const save = (href: string) => () => void saveFile(href).catch(sayProblem);
  return (
    <Menu label="Save the image" button={<span className="btn btn-sm">Save image</span>}>
      <MenuItem onClick={save(image("svg"))}>SVG</MenuItem>
      <MenuItem onClick={save(image("pdf"))}>PDF, with its type</MenuItem>
      <MenuItem onClick={save(image("png", 300))}>PNG, 300 dots per inch</MenuItem>
      <MenuItem onClick={save(image("png", 600))}>PNG, 600 dots per inch</MenuItem>
      <MenuItem onClick={() => void copy()}>Copy the picture</MenuItem>
      <MenuItem onClick={save(`/api/studies/${study}/figures/${id}/data.csv`)}>The data behind it (CSV)</MenuItem>
    </Menu>
  );
}
