import { useEffect, useState, type ReactNode } from "react";
import { Problem } from "../client/api";

export const KINDS = ["measure", "count", "yes_no", "category", "ordered", "date", "text", "identifier"] as const;

/** A few words where there is nothing yet, and what to do. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="mx-auto max-w-xl py-14 text-center">
      <p className="text-lg font-semibold">{title}</p>
      <div className="muted mt-2">{children}</div>
    </div>
  );
}

export function Trouble({ error, children }: { error: unknown; children?: ReactNode }) {
  const text = error instanceof Problem || error instanceof Error ? error.message : String(error);
  return (
    <div role="alert" className="border-error bg-error/8 my-3 border-l-4 px-4 py-3">
      <p>{text}</p>
      {children && <div className="mt-2 flex gap-4">{children}</div>}
    </div>
  );
}

export function Loading() {
  return (
    <p className="muted p-8" role="status">
      Opening …
    </p>
  );
}

/** A name that is edited where it stands. */
export function EditableName({
  name,
  rename,
  label,
  className = "",
}: {
  name: string;
  rename: (name: string) => void;
  label: string;
  className?: string;
}) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    if (text !== null && text.trim() && text.trim() !== name) rename(text.trim());
    setText(null);
  };
  if (text === null) {
    return (
      <h1 className={className}>
        <button
          className="hover:bg-base-200 -mx-1 rounded px-1 text-left"
          title="Rename"
          aria-label={`${name}: rename ${label}`}
          onClick={() => setText(name)}
        >
          {name}
        </button>
      </h1>
    );
  }
  return (
    <input
      className={`input input-sm ${className}`}
      aria-label={`Name of ${label}`}
      autoFocus
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => (e.key === "Enter" ? done() : e.key === "Escape" ? setText(null) : undefined)}
    />
  );
}

export function useDebounced<T>(value: T, ms: number): T {
  const [kept, setKept] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setKept(value), ms);
    return () => window.clearTimeout(timer);
  }, [value, ms]);
  return kept;
}

/** A count with its digits in groups, from five on. */
export function grouped(n: number): string {
  return n >= 10000 ? n.toLocaleString("en").replace(/,/g, "\u2009") : String(n);
}

export function count(n: number, one: string, many = `${one}s`): string {
  return `${grouped(n)} ${n === 1 ? one : many}`;
}

export const KIND_WORDS: Record<string, string> = { yes_no: "yes/no" };
export function kindWords(kind: string): string {
  return KIND_WORDS[kind] ?? kind;
}
