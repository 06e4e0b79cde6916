// A text for each of several columns, such as the right answer to each item; columns with levels offer them.
import { askOf, titleOf, type AskProps } from "./ask";
import { asList, withText } from "../common/lists";

export function Keyed({ name, property, value, set, around }: AskProps) {
  const ask = askOf(property);
  const names = asList(around.spec[ask.of ?? ""]);
  const now = (value as Record<string, string> | null) ?? {};
  const put = (column: string, text: string) => set(withText(now, column, text));
  if (!names.length) return null;
  return (
    <fieldset className="field" data-option={name}>
      <legend>{titleOf(name, property)}</legend>
      {ask.help && <p className="muted mb-1 text-xs">{ask.help}</p>}
      <div className="grid max-h-56 grid-cols-2 gap-x-4 gap-y-1 overflow-y-auto">
        {names.map((n) => {
          const column = around.columns.find((c) => c.name === n);
          const levels = (column?.levels ?? []).map((l) => l.label ?? l.value);
          const label = `Right answer to ${n}`;
          return (
            <label key={n} className="flex items-baseline gap-2 text-sm">
              <span className="w-28 shrink-0 truncate" title={column?.label ?? n}>
                {n}
              </span>
              {levels.length ? (
                <select
                  className="select select-xs min-w-0 flex-1"
                  aria-label={label}
                  value={now[n] ?? ""}
                  onChange={(e) => put(n, e.target.value)}
                >
                  <option value="">as it stands</option>
                  {levels.map((l) => (
                    <option key={l}>{l}</option>
                  ))}
                </select>
              ) : (
                <input
                  key={now[n] ?? ""}
                  className="input input-xs min-w-0 flex-1"
                  aria-label={label}
                  placeholder="as it stands"
                  defaultValue={now[n] ?? ""}
                  onBlur={(e) => e.target.value.trim() !== (now[n] ?? "") && put(n, e.target.value)}
                  onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                />
              )}
            </label>
          );
        })}
      </div>
    </fieldset>
  );
}
