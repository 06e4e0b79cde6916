// What a step has to say: sentences, and lists of rows.
import { useState } from "react";
import type { S } from "../client/api";

export function EffectNotes({ effect, showRows }: { effect: S["Effect"]; showRows?: (numbers: number[]) => void }) {
  const notes = effect.notes ?? [];
  const lists = effect.lists ?? [];
  if (!notes.length && !lists.length) return null;
  return (
    <div className="mt-2 text-[0.93rem]">
      {notes.length > 0 && (
        <ul aria-label="What the step says" className="border-primary/40 border-l-2 pl-3">
          {notes.slice(0, 12).map((n, i) => (
            <li key={i}>{n}</li>
          ))}
          {notes.length > 12 && <li className="muted">and {notes.length - 12} more</li>}
        </ul>
      )}
      {lists.map((l, i) => (
        <RowsListed key={i} list={l} show={effect.broken ? showRows : undefined} />
      ))}
    </div>
  );
}

function RowsListed({ list, show }: { list: S["Listed"]; show?: (numbers: number[]) => void }) {
  const [open, setOpen] = useState(false);
  const numbers = list.numbers ?? [];
  return (
    <div className="mt-1.5">
      <button type="button" className="link-quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "Hide" : "List"}: {list.title.charAt(0).toLowerCase() + list.title.slice(1)}
      </button>
      {show && numbers.length > 0 && (
        <button type="button" className="link-quiet ml-4" onClick={() => show(numbers)}>
          Show them in the grid
        </button>
      )}
      {open && (
        // A scrolling region must be reachable by keyboard.
        // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
        <div className="mt-1 max-h-48 overflow-auto" tabIndex={0} role="region" aria-label={list.title}>
          <table className="res !w-auto text-[0.88rem]">
            <thead>
              <tr>
                <th scope="col">Row</th>
                {list.columns.map((c) => (
                  <th key={c} scope="col" className="left">
                    {c}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {list.rows.map((r, i) => (
                <tr key={i}>
                  <td>{numbers[i]}</td>
                  {r.map((c, j) => (
                    <td key={j} className="left">
                      {c ?? <span className="muted">empty</span>}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </div>
  );
}
