// Small parts that several editors have: chips that are on or off, a way to take a line out, the levels of a column.
import { X } from "lucide-react";
import type { ReactNode } from "react";
import type { Column } from "../client/api";
import { cx } from "./classes";

/** What a column is called: its label, or its name. */
export function titleOf(name: string, columns: Column[]): string {
  return columns.find((c) => c.name === name)?.label ?? name;
}

/** A chip that is on or off. */
export function ToggleChip({
  on,
  onClick,
  title,
  children,
}: {
  on: boolean;
  onClick: () => void;
  title?: string;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      title={title}
      className={cx(
        "chip max-w-64 truncate !py-0.5",
        on ? "border-primary text-primary font-semibold" : "muted border-dashed",
      )}
      onClick={onClick}
    >
      {children}
    </button>
  );
}

/** A cross that takes a line of a list away. */
export function TakeAway({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button type="button" className="btn btn-ghost btn-xs btn-square" aria-label={label} onClick={onClick}>
      <X size={13} />
    </button>
  );
}

/** The levels of a column as options, by the words that they are shown with. */
export function LevelOptions({ column }: { column: Column | undefined }) {
  return (column?.levels ?? []).map((l) => (
    <option key={l.value} value={l.label ?? l.value}>
      {l.label ?? l.value}
    </option>
  ));
}
