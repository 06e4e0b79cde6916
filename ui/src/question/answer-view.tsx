// An answer: the statement, the main figure beside the first tables, the rest below, details folded away.
import { unparted } from "../common/unparted";
import { cx } from "../common/classes";
import { PencilRuler } from "lucide-react";
import { createContext, use, useState, type ReactNode } from "react";
import type { Answer, FigureBlock, TableBlock } from "../client/api";
import { Picture, type Drawn } from "../common/picture";
import { copyTable, ResultTable } from "../common/result-table";
import { Spans } from "../common/spans";
import { Changes, Handles, Tabs, Taken, Touch, usePick, usePoints, useRename, type Touched } from "./touch";

const WIDE = 7;
/** Pixels that a table may take beside the main figure. */
const BESIDE = 400;

/** About how wide a table wants to be: its longest cell in each column. */
function room(t: TableBlock): number {
  return t.columns.reduce(
    (sum, c) => sum + 18 + 6.6 * Math.max(c.title.length, ...t.rows.map((r) => Math.min(r[c.key]?.s.length ?? 0, 34))),
    0,
  );
}

/** Leads to rows of the table. */
type ShowRow = (row: number | number[]) => void;
const OpenFigure = createContext<((block: string) => void) | undefined>(undefined);

/** A drawing, and the way to work on it as a figure of its own. */
function Pictured({ block, showRow }: { block: FigureBlock; showRow?: ShowRow }) {
  const open = use(OpenFigure);
  const [drawn, setDrawn] = useState<Drawn | null>(null);
  const handles = block.handles ?? [];
  const points = usePoints(block);
  return (
    <div className="group relative w-fit max-w-full">
      <Picture
        vega={block.drawing}
        alt={block.alt}
        clicked={(datum) => {
          if (!points?.(datum) && typeof datum.row === "number") showRow?.(datum.row);
        }}
        onDrawn={handles.length ? setDrawn : undefined}
      />
      <Changes changes={block.changes ?? []} />
      {drawn && <Handles handles={handles} drawn={drawn} />}
      {open && (
        <button
          type="button"
          className={cx(
            "btn btn-ghost btn-xs btn-square absolute bottom-0 right-0 opacity-45",
            "focus-visible:opacity-100 group-hover:opacity-100",
          )}
          aria-label={`Work on the figure: ${block.title}`}
          title="Work on this as a figure"
          onClick={() => open(block.id)}
        >
          <PencilRuler size={14} />
        </button>
      )}
    </div>
  );
}

type Block = Answer["blocks"][number];
type Props = {
  answer: Answer;
  /** A newer statement stands above. */
  superseded?: boolean;
  showRow?: ShowRow;
  control?: (field: string) => ReactNode;
  openFigure?: (block: string) => void;
  /** The question's spec and how to set a field of it, for what is moved or clicked. */
  touch?: Touched;
};

export function AnswerView({ openFigure, touch, ...props }: Props) {
  return (
    <Touch value={touch ?? null}>
      <OpenFigure value={openFigure}>
        <Blocks {...props} />
      </OpenFigure>
    </Touch>
  );
}

function Blocks({ answer, superseded, showRow, control }: Omit<Props, "openFigure" | "touch">) {
  const shown = answer.blocks.filter((b) => !b.folded && !groupOf(b));
  const figures = shown.filter((b): b is FigureBlock => b.type === "figure");
  const tables = shown.filter((b): b is TableBlock => b.type === "table");
  const notes = shown.filter((b) => b.type === "note");
  const main = figures.find((f) => !f.small);
  const taken = figures.filter((f) => f.takes);
  const small = figures.filter((f) => f.small && !f.takes);
  // A model's coefficients keep their place: only what stands before them may go beside the picture.
  const near = answer.model
    ? tables.slice(
        0,
        Math.max(
          0,
          tables.findIndex((t) => room(t) > BESIDE),
        ),
      )
    : tables.slice(0, 5);
  const beside = main && Number(main.drawing.width) < 460 ? near.filter((t) => room(t) <= BESIDE).slice(0, 2) : [];
  const gone: Block[] = [...(main ? [main] : []), ...beside, ...taken, ...(answer.model ? [] : small)];
  return (
    <article data-testid="answer">
      {!superseded && (
        <p className="statement mb-4 max-w-[46rem]" data-testid="headline">
          <Spans spans={answer.headline_spans} />
        </p>
      )}
      {small.length > 0 && !main && !answer.model && <Small figures={small} showRow={showRow} />}
      <div className="flex flex-wrap items-start gap-x-8 gap-y-6">
        {main && (
          <div className="max-w-full shrink-0">
            {main.title !== tables[0]?.title && main.id !== "figure" && (
              <h2 className="mb-1 font-semibold">{main.title}</h2>
            )}
            <Pictured block={main} showRow={showRow} />
            {taken.length > 0 && <Taken figures={taken} show={(f) => <Picture vega={f.drawing} alt={f.alt} />} />}
          </div>
        )}
        {beside.length > 0 && (
          <div className="flex-1 space-y-6" style={{ minWidth: `min(100%, ${Math.max(240, ...beside.map(room))}px)` }}>
            {beside.map((t) => (
              <Shown key={t.id} block={t} control={control} showRow={showRow} />
            ))}
          </div>
        )}
      </div>
      {small.length > 0 && main && !answer.model && (
        <div className="mt-6">
          <Small figures={small} showRow={showRow} />
        </div>
      )}
      <div className="mt-6 space-y-6">
        {inOrder(answer.blocks, gone).map((part) => (
          <PartView key={keyOf(part)} part={part} showRow={showRow} control={control} />
        ))}
        {notes.map(
          (n) =>
            n.type === "note" && (
              <p key={n.id} className="max-w-[46rem]">
                {unparted(n.text)}
              </p>
            ),
        )}
        <Folded answer={answer} showRow={showRow} control={control} />
      </div>
    </article>
  );
}

/** A block, small figures that stand together, or parts under tabs. */
type Part = Block | FigureBlock[] | { tabs: string; parts: Block[] };

const groupOf = (b: Block) => (b.type === "note" ? undefined : b.tab?.group);
const titleOf = (b: Block) => (b.type === "note" ? "" : (b.tab?.title ?? b.title));
const keyOf = (p: Part) => (Array.isArray(p) ? p[0]?.id : "tabs" in p ? p.tabs : p.id);

/** Blocks as they come: small figures that follow one another together, so that a model's pictures stand beside what
 *  they show; the tabs of a group where its first block stands. */
function inOrder(blocks: Block[], gone: Block[] = []): Part[] {
  const out: Part[] = [];
  for (const b of blocks) {
    if (gone.includes(b) || b.folded || b.type === "note") continue;
    const last = out[out.length - 1];
    const group = groupOf(b);
    const tabs = group && out.find((p) => "tabs" in p && p.tabs === group);
    if (tabs && "tabs" in tabs) tabs.parts.push(b);
    else if (group) out.push({ tabs: group, parts: [b] });
    else if (b.type === "figure" && b.small) {
      if (Array.isArray(last)) last.push(b);
      else out.push([b]);
    } else out.push(b);
  }
  return out;
}

type Ways = { showRow?: ShowRow; control?: (field: string) => ReactNode };

function PartView({ part, ...ways }: { part: Part } & Ways) {
  if (Array.isArray(part)) return <Small figures={part} showRow={ways.showRow} />;
  if ("tabs" in part) {
    const titles = [...new Set(part.parts.map(titleOf))];
    // A setting that decides about all of them stands above the tabs.
    const setting = part.parts[0]?.type === "table" ? part.parts[0].control : null;
    const bare = part.parts.map((b) => ({ ...b, tab: null, ...(b.type === "table" ? { control: null } : {}) }));
    return (
      <div>
        {setting && ways.control?.(setting)}
        <Tabs
          label="Parts of the answer"
          parts={titles.map((title) => ({
            title,
            content: (
              <div className="space-y-6">
                {inOrder(bare.filter((_, i) => titleOf(part.parts[i]!) === title)).map((p) => (
                  <PartView key={keyOf(p)} part={p} {...ways} />
                ))}
              </div>
            ),
          }))}
        />
      </div>
    );
  }
  if (part.type === "table")
    return (
      <div className={part.columns.length <= WIDE ? "max-w-[46rem]" : ""}>
        <Shown block={part} {...ways} />
      </div>
    );
  if (part.type === "note") return null;
  return (
    <div>
      <h2 className="mb-1 font-semibold">{part.title}</h2>
      <Pictured block={part} showRow={ways.showRow} />
    </div>
  );
}

function Small({ figures, showRow }: { figures: FigureBlock[]; showRow?: ShowRow }) {
  return (
    <div className="mb-6 grid grid-cols-[repeat(auto-fill,minmax(222px,1fr))] gap-x-5 gap-y-6">
      {figures.map((f) => (
        <div key={f.id} className="max-w-[330px]">
          <h2 className="truncate font-semibold" title={f.title}>
            {f.title}
          </h2>
          <Pictured block={f} showRow={showRow} />
        </div>
      ))}
    </div>
  );
}

function Folded({ answer, showRow, control }: { answer: Answer } & Ways) {
  const tables = answer.blocks.filter((b): b is TableBlock => b.type === "table" && Boolean(b.folded));
  const figures = answer.blocks.filter((b): b is FigureBlock => b.type === "figure" && Boolean(b.folded));
  return (
    <>
      {tables.map((t) => (
        <details key={t.id}>
          <summary className="cursor-pointer font-semibold">{t.title}</summary>
          <div className={`mt-2 ${t.columns.length <= WIDE ? "max-w-[46rem]" : ""}`}>
            <Shown block={t} control={control} showRow={showRow} plain />
          </div>
        </details>
      ))}
      {figures.length > 0 && (
        <details>
          <summary className="cursor-pointer font-semibold">
            {figures.length > 1 ? "Pictures of the residuals" : figures[0]?.title}
          </summary>
          <div className="mt-2">
            <Small figures={figures} showRow={showRow} />
          </div>
        </details>
      )}
    </>
  );
}

function Shown({ block, control, showRow, plain }: { block: TableBlock; plain?: boolean } & Ways) {
  const touch = use(Touch);
  const rows = block.shows ?? [];
  return (
    <>
      {block.control && control?.(block.control)}
      {/* What is offered on pointing lies over the table's own title, never over its setting. */}
      <div className="group relative">
        <ResultTable
          block={block}
          plain={plain}
          pick={usePick(block) ?? undefined}
          rename={useRename(block) ?? undefined}
        />
        {showRow && rows.length > 0 && (
          <button type="button" className="link-quiet mt-1 text-[0.92rem]" onClick={() => showRow(rows)}>
            {rows.length > 1 ? "Show their rows" : "Show its row"}
          </button>
        )}
        <div className="absolute right-0 top-0 opacity-0 focus-within:opacity-100 group-hover:opacity-100">
          {touch?.makeTable && (
            <button
              type="button"
              className="btn btn-ghost btn-xs"
              onClick={() => touch.makeTable!(block)}
              title="Its rows and columns become a table of the study, renewed with this one"
              aria-label={`As a table: ${block.title}`}
            >
              As a table
            </button>
          )}
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            onClick={() => copyTable(block)}
            aria-label={`Copy the table ${block.title}`}
          >
            Copy
          </button>
        </div>
      </div>
    </>
  );
}
