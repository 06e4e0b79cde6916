// A slot that is typed into instead of filled with columns: samples of which only n, mean and SD are known.
import { TakeAway } from "../common/chips";
import { cx } from "../common/classes";
import { Plus } from "lucide-react";
import { useState } from "react";
import { Pop } from "../common/pop";
import { askOf, numberOf, numberShown, titleOf, type AskProps } from "./ask";

type Line = Record<string, string>;
const HEADS: Record<string, string> = { label: "Sample", n: "n", mean: "Mean", sd: "SD" };

export function TypedSlot({ name, property, value, set }: AskProps) {
  const { fields = [], placeholder } = askOf(property);
  const label = titleOf(name, property);
  const kept = Array.isArray(value) ? (value as Record<string, unknown>[]) : [];
  const [open, setOpen] = useState(false);
  const [lines, setLines] = useState<Line[]>([]);
  const [told, setTold] = useState(false);
  const wrong = (line: Line) => fields.filter((f) => !right(f, line[f]));
  const begun = (line: Line) => fields.some((f) => (line[f] ?? "").trim());
  const half = lines.filter((l) => begun(l) && wrong(l).length > 0);
  const hand = () => {
    const ready = lines.filter((l) => wrong(l).length === 0);
    const next = ready.map((l) =>
      Object.fromEntries(fields.map((f) => [f, f === "label" ? (l[f] ?? "").trim() : numberOf(l[f] ?? "")])),
    );
    if (JSON.stringify(next) !== JSON.stringify(kept)) set(next);
  };
  const close = () => (hand(), setOpen(false));
  const done = () => (half.length ? setTold(true) : close());
  const begin = () => {
    const filled = kept.map((k) =>
      Object.fromEntries(fields.map((f) => [f, f === "label" ? String(k[f]) : numberShown(k[f] as number)])),
    );
    // A line that was half written when this was closed is there again.
    const all = [...filled, ...half];
    setLines([...all, ...Array.from({ length: Math.max(1, 2 - all.length) }, () => ({}))]);
    setTold(false);
    setOpen(true);
  };
  const change = (i: number, field: string, text: string) =>
    setLines(lines.map((l, k) => (k === i ? { ...l, [field]: text } : l)));
  const paste = (text: string, i: number) => {
    const rows = text
      .split(/\r?\n/)
      .map((r) => r.split("\t"))
      .filter((c) => c.length === fields.length);
    if (!rows.length) return false;
    setLines([
      ...lines.slice(0, i),
      ...rows.map((c) => Object.fromEntries(fields.map((f, k) => [f, (c[k] ?? "").trim()]))),
      ...lines.slice(i + 1),
    ]);
    return true;
  };
  const words = kept.map((k) => String(k.label)).join(", ");
  return (
    <Pop
      open={open}
      set={(to) => (to ? begin() : close())}
      label={label}
      className="w-[27rem] p-3 text-base"
      trigger={
        <button type="button" className={`slot ${kept.length ? "" : "empty"}`} data-slot={label}>
          {words || placeholder}
        </button>
      }
    >
      <table className="w-full text-[0.92rem]">
        <thead>
          <tr>
            {fields.map((f) => (
              <th key={f} scope="col" className="pb-1 text-left font-semibold">
                {HEADS[f] ?? f}
              </th>
            ))}
            <th />
          </tr>
        </thead>
        <tbody>
          {lines.map((line, i) => (
            <tr key={i} onPaste={(e) => paste(e.clipboardData.getData("text/plain"), i) && e.preventDefault()}>
              {fields.map((f) => (
                <td key={f} className="pr-1.5 pb-1">
                  <input
                    autoFocus={i === 0 && f === fields[0]}
                    className={cx(
                      "input input-xs",
                      f === "label" ? "w-36" : "w-20",
                      told && begun(line) && wrong(line).includes(f) && "input-error",
                    )}
                    aria-invalid={told && begun(line) && wrong(line).includes(f)}
                    inputMode={f === "label" ? "text" : "decimal"}
                    aria-label={`${HEADS[f] ?? f} ${i + 1}`}
                    value={line[f] ?? ""}
                    onChange={(e) => change(i, f, e.target.value)}
                    onKeyDown={(e) => e.key === "Enter" && done()}
                  />
                </td>
              ))}
              <td>
                <TakeAway
                  label={`Take sample ${i + 1} away`}
                  onClick={() => setLines(lines.filter((_, k) => k !== i))}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {told && half.length > 0 && (
        <p role="alert" className="text-error mt-1 text-xs">
          Each sample needs a name, a whole n, a mean and an SD.
        </p>
      )}
      <span className="mt-2 flex items-center gap-3">
        <button type="button" className="btn btn-xs" onClick={() => setLines([...lines, {}])}>
          <Plus size={13} /> Another sample
        </button>
        <button type="button" className="btn btn-xs" onClick={done}>
          Done
        </button>
        <small className="muted">Lines can be pasted from a sheet.</small>
      </span>
    </Pop>
  );
}

function right(field: string, text: string | undefined): boolean {
  if (field === "label") return Boolean(text?.trim());
  const value = numberOf(text ?? "");
  return value !== null && (field !== "n" || Number.isInteger(value));
}
