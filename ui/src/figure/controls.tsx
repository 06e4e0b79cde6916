// Small controls of the margin: words, numbers, choices; what is typed counts when it is left or Enter is pressed.
import { useState, type ReactNode } from "react";

export function Labelled({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="field block min-w-0">
      <span>{label}</span>
      {children}
    </label>
  );
}

export function Text({
  label,
  value,
  placeholder,
  set,
}: {
  label: string;
  value: string;
  placeholder?: string;
  set: (v: string) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const done = () => (text !== null && text !== value && set(text.trim()), setText(null));
  return (
    <Labelled label={label}>
      <input
        className="input input-sm w-full"
        value={text ?? value}
        placeholder={placeholder}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => e.key === "Enter" && done()}
      />
    </Labelled>
  );
}

export function numberOf(text: string): number | null {
  const value = text.trim() === "" ? NaN : Number(text.replace(",", ".").replace("−", "-"));
  return Number.isFinite(value) ? value : null;
}

export function Num({
  label,
  value,
  placeholder,
  set,
  min,
  max,
}: {
  label: string;
  value: number | null | undefined;
  placeholder?: string;
  set: (v: number | null) => void;
  min?: number;
  max?: number;
}) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    if (text === null) return;
    const next = numberOf(text);
    const inside = next === null || ((min === undefined || next >= min) && (max === undefined || next <= max));
    if ((next !== null || text.trim() === "") && inside && next !== (value ?? null)) set(next);
    setText(null);
  };
  const bad =
    text !== null &&
    text.trim() !== "" &&
    (numberOf(text) === null ||
      (min !== undefined && (numberOf(text) ?? 0) < min) ||
      (max !== undefined && (numberOf(text) ?? 0) > max));
  const range = min !== undefined && max !== undefined ? `${min} to ${max}` : undefined;
  return (
    <Labelled label={label}>
      <input
        className={`input input-sm w-full ${bad ? "input-error" : ""}`}
        inputMode="decimal"
        title={range}
        aria-invalid={bad}
        value={text ?? (value ?? "").toString().replace("-", "−")}
        placeholder={placeholder}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => e.key === "Enter" && done()}
      />
    </Labelled>
  );
}

export function Choice({
  label,
  value,
  options,
  set,
}: {
  label: string;
  value: string;
  options: Record<string, string>;
  set: (v: string) => void;
}) {
  return (
    <Labelled label={label}>
      <select className="select select-sm w-full" value={value} onChange={(e) => set(e.target.value)}>
        {Object.entries(options).map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    </Labelled>
  );
}

export function Check({ label, value, set }: { label: string; value: boolean; set: (v: boolean) => void }) {
  return (
    <label className="flex cursor-pointer items-center gap-2.5">
      <input
        type="checkbox"
        className="checkbox checkbox-sm checkbox-primary"
        checked={value}
        onChange={(e) => set(e.target.checked)}
      />
      {label}
    </label>
  );
}

export function Section({ title, children, open = false }: { title: string; children: ReactNode; open?: boolean }) {
  return (
    <details className="rule border-t pt-2.5" open={open}>
      <summary className="cursor-pointer font-bold">{title}</summary>
      <div className="mt-2 space-y-3">{children}</div>
    </details>
  );
}
