import { unparted } from "./unparted";
import { cx } from "./classes";
import { useEffect, useRef, useState, type ReactNode } from "react";
import type { S, TableBlock } from "../client/api";
import { say, sayProblem } from "./toasts";

type Cell = S["Cell"];

/** A table as in a journal. A cell that cannot be computed says why. */
export function ResultTable({
  block,
  number,
  plain,
  heading,
  pick,
  rename,
}: {
  block: TableBlock;
  number?: number;
  plain?: boolean;
  heading?: (key: string) => ReactNode;
  /** For rows that are clicked into a list: whether one is in, and the click. */
  pick?: (row: number) => { in: boolean; title: string; flip: () => void } | null;
  /** For rows whose first cell is a name that is changed in place. */
  rename?: (row: number) => Named | null;
}) {
  const picked = number ? null : block.picked; // how it was found is not printed
  const caption = number ? (
    <>
      <b>Table {number}.</b> <span className="font-normal">{block.title}</span>
    </>
  ) : (
    block.title
  );
  const box = useRef<HTMLDivElement>(null);
  const [wide, setWide] = useState(false);
  const [tight, setTight] = useState(false);
  useEffect(() => {
    const watch = new ResizeObserver(() => {
      const over = (box.current?.scrollWidth ?? 0) > (box.current?.clientWidth ?? 0);
      setWide(over);
      if (over) setTight(true); // smaller type first; what is still too wide scrolls
    });
    if (box.current) watch.observe(box.current);
    return () => watch.disconnect();
  }, []);
  return (
    // A table that runs out of its column scrolls, and then must be reachable by keyboard.
    <div
      ref={box}
      className="overflow-x-auto"
      {...(wide ? { tabIndex: 0, role: "region", "aria-label": `${block.title}, scrolls sideways` } : {})}
    >
      <table className={`res ${block.columns.length > 9 || tight ? "many" : ""}`} data-block={block.id}>
        <caption className={plain ? "sr-only" : ""}>{caption}</caption>
        <thead>
          <tr>
            {block.columns.map((c) => (
              <th
                key={c.key}
                scope="col"
                className={`${c.align === "left" ? "left" : ""} ${picked === c.key ? "picked" : ""}`}
              >
                {c.title === "" ? <span className="sr-only">Value</span> : c.italic ? <i>{c.title}</i> : c.title}
                {heading?.(c.key)}
                {c.sub && <small className="block font-normal">{c.sub}</small>}
                {picked === c.key && <small className="text-primary block font-semibold">to be reported</small>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {block.rows.map((row, i) => (
            <tr key={i} className={pick?.(i)?.in ? "taken" : ""}>
              {block.columns.map((c, place) => {
                const cell = row[c.key];
                const strong = block.strong?.includes(c.key) && (block.marked?.includes(i) || c.key === "letters");
                return (
                  <td
                    key={c.key}
                    className={cx(
                      c.align === "left" ? "left" : "",
                      c.align === "left" && (cell?.s.length ?? 0) > 48 ? "wrap" : "",
                      strong || cell?.strong ? "font-semibold" : "",
                      picked === c.key ? "picked" : "",
                    )}
                    title={cell?.why ?? undefined}
                  >
                    {place === 0 ? <First of={pick?.(i)} named={rename?.(i)} said={cell?.s ?? ""} /> : (cell?.s ?? "")}
                    {cell?.sub && <small className="muted block font-normal">{cell.sub}</small>}
                    {cell?.why && <span className="sr-only">: {cell.why}</span>}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {block.note && <p className="muted mt-1 text-[0.85rem]">{unparted(block.note)}</p>}
    </div>
  );
}

type Named = { name: string; title: string; set: (name: string) => void };

function First({
  of,
  named,
  said,
}: {
  of?: { in: boolean; title: string; flip: () => void } | null;
  named?: Named | null;
  said: string;
}) {
  if (named) return <Rename key={named.name} {...named} />;
  if (!of) return said;
  return (
    <button type="button" className="link-quiet" aria-pressed={of.in} title={of.title} onClick={of.flip}>
      {said}
      <span className="sr-only">: {of.title}</span>
    </button>
  );
}

/** A name that a click turns into a field; Enter keeps it, Escape leaves it, an empty one takes it back. */
function Rename({ name, title, set }: Named) {
  const [text, setText] = useState<string | null>(null);
  if (text === null)
    return (
      <button type="button" className="link-quiet" title={title} onClick={() => setText(name)}>
        {name}
        <span className="sr-only">: {title}</span>
      </button>
    );
  const keep = () => {
    setText(null);
    if (text.trim() !== name) set(text);
  };
  return (
    <input
      className="input input-xs w-40"
      aria-label={title}
      autoFocus
      maxLength={60}
      value={text}
      onFocus={(e) => e.target.select()}
      onChange={(e) => setText(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") keep();
        if (e.key === "Escape") setText(null);
      }}
    />
  );
}

/** The whole cell on one line; a second line stands in brackets. */
function cellText(cell: Cell | undefined): string {
  return cell?.sub ? `${cell.s} (${cell.sub})` : (cell?.s ?? "");
}

/** The table as tab-separated text, as it stands. */
export function copyTable(block: TableBlock): void {
  const lines = [
    block.columns.map((c) => c.title),
    ...block.rows.map((row) => block.columns.map((c) => cellText(row[c.key]))),
  ];
  void navigator.clipboard
    .writeText(lines.map((l) => l.join("\t")).join("\n"))
    .then(() => say("Table copied"), sayProblem);
}
