// An answer: the statement, the main figure beside the first tables, the rest below, details folded away.
import type { Answer, FigureBlock, TableBlock } from "../client/api";
import { Picture } from "../common/picture";
import { copyTable, ResultTable } from "../common/result-table";
import { Spans } from "../common/spans";

const WIDE = 7;

export function AnswerView({ answer }: { answer: Answer }) {
  const figures = answer.blocks.filter((b): b is FigureBlock => b.type === "figure");
  const tables = answer.blocks.filter((b): b is TableBlock => b.type === "table" && !b.folded);
  const folded = answer.blocks.filter((b): b is TableBlock => b.type === "table" && Boolean(b.folded));
  const main = figures.find((f) => !f.small);
  const small = figures.filter((f) => f.small);
  const beside = main && Number(main.drawing.width) < 400 ? tables.filter((t) => t.columns.length <= WIDE).slice(0, 2) : [];
  const below = tables.filter((t) => !beside.includes(t));
  return (
    <article data-testid="answer">
      <p className="statement mb-4 max-w-[46rem]" data-testid="headline"><Spans spans={answer.headline_spans} /></p>
      {small.length > 0 && <div className="mb-6 grid grid-cols-[repeat(auto-fill,minmax(222px,1fr))] gap-x-5 gap-y-6">{small.map((f) => <div key={f.id} className="max-w-[290px]"><h2 className="truncate font-semibold" title={f.title}>{f.title}</h2><Picture vega={f.drawing} alt={f.alt} /></div>)}</div>}
      <div className="flex flex-wrap items-start gap-x-8 gap-y-6">
        {main && <div className="max-w-full shrink-0"><Picture vega={main.drawing} alt={main.alt} /></div>}
        {beside.length > 0 && <div className="min-w-80 flex-1 space-y-6">{beside.map((t) => <Shown key={t.id} block={t} />)}</div>}
      </div>
      <div className="mt-6 space-y-6">
        {below.map((t) => <div key={t.id} className={t.columns.length <= WIDE ? "max-w-[46rem]" : ""}><Shown block={t} /></div>)}
        {folded.map((t) => (
          <details key={t.id}>
            <summary className="cursor-pointer font-semibold">{t.title}</summary>
            <div className="mt-2 max-w-[46rem]"><ResultTable block={t} plain /></div>
          </details>
        ))}
      </div>
    </article>
  );
}

function Shown({ block }: { block: TableBlock }) {
  return (
    <div className="group relative">
      <ResultTable block={block} />
      <button type="button" className="btn btn-ghost btn-xs absolute right-0 top-0 opacity-0 focus-visible:opacity-100 group-hover:opacity-100" onClick={() => copyTable(block)} aria-label={`Copy the table ${block.title}`}>Copy</button>
    </div>
  );
}
