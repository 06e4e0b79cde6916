// Cells that were edited by hand: old value, new value and why.
type Edit = { row: number; column: string; old?: string | null; new?: string | null; reason?: string | null };

export function EditsList({ edits, set }: { edits: unknown; set: (edits: Edit[]) => void }) {
  const list = (Array.isArray(edits) ? edits : []) as Edit[];
  if (!list.length)
    return <p className="muted mt-2">Press Enter on a cell in the grid to write another value into it.</p>;
  return (
    <div className="mt-3 max-h-60 overflow-auto">
      <table className="res !w-auto">
        <caption className="sr-only">Edited cells</caption>
        <thead>
          <tr>
            {["Column", "Row", "Was", "Is", "Why"].map((h) => (
              <th key={h} scope="col" className="left">
                {h}
              </th>
            ))}
            <th scope="col">
              <span className="sr-only">Actions</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {list.map((e, i) => (
            <tr key={i}>
              <td className="left">{e.column}</td>
              <td className="left">{e.row}</td>
              <td className="left">{e.old || <span className="muted">empty</span>}</td>
              <td className="left">{e.new || <span className="muted">empty</span>}</td>
              <td className="left">
                <input
                  className="input input-xs w-64"
                  aria-label={`Why ${e.column} in row ${e.row} was edited`}
                  value={e.reason ?? ""}
                  onChange={(x) => set(list.map((v, k) => (k === i ? { ...v, reason: x.target.value || null } : v)))}
                />
              </td>
              <td>
                <button type="button" className="link-quiet" onClick={() => set(list.filter((_, k) => k !== i))}>
                  Take back
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
