// A slot that is typed into instead of filled with columns: samples of which only n, mean and SD are known.
import { TakeAway } from "../common/chips";
import { Plus } from "lucide-react";
import { useState } from "react";
import { Pop } from "../common/pop";
import { askOf, titleOf, type AskProps } from "./ask";

type Line = Record<string, string>;
const HEADS: Record<string, string> = { label: "Sample", n: "n", mean: "Mean", sd: "SD" };

export function TypedSlot({ name, property, value, set }: AskProps) {
  const { fields = [], placeholder } = askOf(property);
  const label = titleOf(name, property);
  const kept = Array.isArray(value) ? (value as Record<string, unknown>[]) : [];
  const [open, setOpen] = useState(false);
  const [lines, setLines] = useState<Line[]>([]);
  const close = () => {
    if (open) hand(lines);
    setOpen(false);
  };
  const hand = (from: Line[]) => {
    const ready = from.filter((l) =>
      fields.every((f) => (l[f] ?? "").trim() && (f === "label" || Number.isFinite(number(l[f])))),
    );
    const next = ready.map((l) =>
      Object.fromEntries(
        fields.map((f) => [
          f,
          f === "label" ? (l[f] ?? "").trim() : f === "n" ? Math.round(number(l[f])) : number(l[f]),
        ]),
      ),
    );
    if (JSON.stringify(next) !== JSON.stringify(kept)) set(next);
  };
  const begin = () => {
    const filled = kept.map((k) => Object.fromEntries(fields.map((f) => [f, String(k[f] ?? "")])));
    setLines([...filled, ...Array.from({ length: Math.max(1, 2 - filled.length) }, () => ({}))]);
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
                    className={`input input-xs ${f === "label" ? "w-36" : "w-20"}`}
                    inputMode={f === "label" ? "text" : "decimal"}
                    aria-label={`${HEADS[f] ?? f} ${i + 1}`}
                    value={line[f] ?? ""}
                    onChange={(e) => change(i, f, e.target.value)}
                    onKeyDown={(e) => e.key === "Enter" && hand(lines)}
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
      <span className="mt-2 flex items-center gap-3">
        <button type="button" className="btn btn-xs" onClick={() => setLines([...lines, {}])}>
          <Plus size={13} /> Another sample
        </button>
        <button type="button" className="btn btn-xs" onClick={close}>
          Done
        </button>
        <small className="muted">Lines can be pasted from a sheet.</small>
      </span>
    </Pop>
  );
}

function number(text: string | undefined): number {
  return Number((text ?? "").trim().replace(",", ".").replace("−", "-"));
}
