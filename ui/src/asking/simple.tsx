// The plain controls: a text, a number, a choice, a tick. What is typed counts when it is left or Enter is pressed, or
// at once where that is asked for.
import { useState, type KeyboardEvent, type ReactNode } from "react";
import { numberOf, numberShown } from "./ask";

/** For tests and screen readers: the field it sets, and its name where no label stands beside it. */
export type Mark = { "data-option"?: string; "aria-label"?: string };
type Common = { label?: string; help?: string; mark?: Mark };

export function Labelled({ label, help, children }: { label?: string; help?: string; children: ReactNode }) {
  if (label === undefined) return children;
  return (
    <label className="field block max-w-72 min-w-0">
      <span>{label}</span>
      {children}
      <Help>{help}</Help>
    </label>
  );
}

export function Help({ children }: { children?: string }) {
  return children ? <small className="muted mt-1 block text-[0.8rem]">{children}</small> : null;
}

/** A draft that is handed over on Enter or on leaving, so that half-typed words are not asked about; Escape drops it.
 *  With `live` it is handed over while it is typed too. */
export function useDraft(shown: string, hand: (text: string) => void, live?: boolean, enter?: () => void) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    if (text !== null && text !== shown && !live) hand(text);
    setText(null);
  };
  return {
    text,
    put: (next: string) => (setText(next), live && hand(next)),
    props: {
      value: text ?? shown,
      onChange: (e: React.ChangeEvent<HTMLInputElement>) => {
        setText(e.target.value);
        if (live) hand(e.target.value);
      },
      onBlur: done,
      onKeyDown: (e: KeyboardEvent) => {
        if (e.key === "Enter") void (done(), enter?.());
        if (e.key === "Escape" && text !== null && !live) void (e.stopPropagation(), setText(null));
      },
    },
  };
}

export function Text({
  label,
  help,
  mark,
  value,
  placeholder,
  set,
  live,
  enter,
  width = "w-full",
}: Common & {
  value: string;
  placeholder?: string;
  set: (v: string) => void;
  live?: boolean;
  enter?: () => void;
  width?: string;
}) {
  const draft = useDraft(value, (text) => set(live ? text : text.trim()), live, enter);
  return (
    <Labelled label={label} help={help}>
      <input className={`input input-sm ${width}`} placeholder={placeholder} {...mark} {...draft.props} />
    </Labelled>
  );
}

export function Num({
  label,
  help,
  mark,
  value,
  placeholder,
  set,
  min,
  max,
  step,
  live,
  enter,
  width = "w-full",
}: Common & {
  value: number | null | undefined;
  placeholder?: string;
  set: (v: number | null) => void;
  min?: number;
  max?: number;
  step?: number;
  live?: boolean;
  enter?: () => void;
  width?: string;
}) {
  const inside = (n: number) => (min === undefined || n >= min) && (max === undefined || n <= max);
  const hand = (text: string) => {
    const next = numberOf(text);
    if (next === null ? text.trim() === "" : inside(next)) set(next !== null && step === 1 ? Math.round(next) : next);
  };
  const draft = useDraft(numberShown(value), hand, live, enter);
  const typed = numberOf(draft.text ?? "");
  const bad = Boolean(draft.text?.trim()) && (typed === null || !inside(typed));
  const range = min !== undefined && max !== undefined ? `${min} to ${max}` : undefined;
  const onKeyDown = (e: KeyboardEvent) => {
    const by = { ArrowUp: step, ArrowDown: step && -step }[e.key];
    const from = typed ?? value;
    if (by && typeof from === "number") {
      e.preventDefault();
      draft.put(numberShown(Number((from + by).toPrecision(12))));
    } else draft.props.onKeyDown(e);
  };
  return (
    <Labelled label={label} help={help}>
      <input
        className={`input input-sm ${width} ${bad ? "input-error" : ""}`}
        inputMode="decimal"
        title={range}
        aria-invalid={bad}
        placeholder={placeholder}
        {...mark}
        {...draft.props}
        onKeyDown={onKeyDown}
      />
    </Labelled>
  );
}

export function Choice({
  label,
  help,
  mark,
  value,
  options,
  set,
  missing,
}: Common & {
  value: string;
  options: Record<string, string> | [string, string][];
  set: (v: string) => void;
  /** Words for nothing chosen yet. */
  missing?: string;
}) {
  const entries = Array.isArray(options) ? options : Object.entries(options);
  return (
    <Labelled label={label} help={help}>
      <select
        className={`select select-sm ${label === undefined ? "w-auto max-w-80" : "w-full"}`}
        value={value}
        onChange={(e) => set(e.target.value)}
        {...mark}
      >
        {missing !== undefined && (
          <option value="" disabled>
            {missing}
          </option>
        )}
        {entries.map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    </Labelled>
  );
}

/** One of a few rules, or a number of one's own. */
export function ChoiceOrNumber({
  label,
  help,
  mark,
  value,
  options,
  set,
  min,
}: Common & {
  value: string | number;
  options: [string, string][];
  set: (v: string | number) => void;
  min?: number;
}) {
  const [typing, setTyping] = useState(false);
  const own = typeof value === "number" || typing;
  return (
    <div className="flex items-end gap-2">
      <Labelled label={label} help={help}>
        <select
          className="select select-sm w-full min-w-0"
          value={own ? "" : value}
          onChange={(e) => {
            setTyping(e.target.value === "");
            if (e.target.value) set(e.target.value);
          }}
          {...mark}
        >
          {options.map(([v, words]) => (
            <option key={v} value={v}>
              {words}
            </option>
          ))}
          <option value="">a number</option>
        </select>
      </Labelled>
      {own && (
        <Num
          width="w-24"
          mark={{ "aria-label": `${label ?? ""}: number` }}
          value={typeof value === "number" ? value : null}
          min={min}
          set={(v) => v !== null && set(v)}
        />
      )}
    </div>
  );
}

/** Several numbers, typed with spaces or semicolons between them. */
export function Numbers({ label, help, mark, value, set }: Common & { value: number[]; set: (v: number[]) => void }) {
  const read = (text: string) =>
    text
      .split(/[;\s]+/)
      .filter(Boolean)
      .map((part) => numberOf(part.replace(/,$/, "")));
  const shown = value.map(numberShown).join("; ");
  const draft = useDraft(shown, (text) => {
    const next = read(text);
    if (next.every((n) => n !== null)) set(next as number[]);
  });
  const bad = draft.text !== null && read(draft.text).includes(null);
  return (
    <Labelled label={label} help={help}>
      <input
        className={`input input-sm w-full ${bad ? "input-error" : ""}`}
        inputMode="decimal"
        aria-invalid={bad}
        placeholder="none typed"
        {...mark}
        {...draft.props}
      />
    </Labelled>
  );
}

export function Check({ label, help, mark, value, set }: Common & { value: boolean; set: (v: boolean) => void }) {
  const box = (
    <input
      type="checkbox"
      className="checkbox checkbox-sm checkbox-primary"
      checked={value}
      onChange={(e) => set(e.target.checked)}
      {...mark}
    />
  );
  if (label === undefined) return box;
  return (
    <div>
      <label className="flex cursor-pointer items-center gap-2.5">
        {box}
        {label}
      </label>
      <Help>{help}</Help>
    </div>
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
