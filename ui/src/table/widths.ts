import { useCallback, useMemo, useState } from "react";
import type { Column } from "../client/api";
import { readLocal, writeLocal } from "../client/local";

const DEFAULT: Record<string, number> = { measure: 111, count: 105, identifier: 104, text: 180, date: 128, yes_no: 96 };

/** Column widths, kept per table in this browser. */
export function useWidths(table: string, columns: Column[]) {
  const key = `yavik.widths.${table}`;
  const [own, setOwn] = useState<Record<string, number>>(() => readLocal(key) ?? {});
  const setWidth = useCallback(
    (name: string, width: number) =>
      setOwn((w) => {
        const next = { ...w, [name]: Math.max(48, Math.min(640, Math.round(width))) };
        writeLocal(key, next);
        return next;
      }),
    [key],
  );
  return useMemo(() => {
    const widths = columns.map(
      (c) =>
        own[c.name] ??
        Math.max(
          DEFAULT[c.kind] ?? 112,
          Math.min(
            168,
            Math.max(c.name.length, ...(c.levels ?? []).slice(0, 50).map((l) => (l.label ?? l.value).length)) * 8.2 +
              28,
          ),
        ),
    );
    const lefts: number[] = [];
    let x = 0;
    for (const w of widths) {
      lefts.push(x);
      x += w;
    }
    return { widths, lefts, total: x, setWidth };
  }, [columns, own, setWidth]);
}
