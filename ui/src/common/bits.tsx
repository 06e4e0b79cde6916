import { useEffect, useRef, useState, type ReactNode } from "react";
import { Problem } from "../client/api";

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

/** A button with a short list of actions; closes on Escape, on choosing, and on a click elsewhere. */
export function Menu({
  label,
  children,
  button,
  align = "right",
}: {
  label: string;
  children: (close: () => void) => ReactNode;
  button: ReactNode;
  align?: "left" | "right";
}) {
  const [open, setOpen] = useState(false);
  const box = useRef<HTMLDivElement>(null);
  useDismiss(box, open, () => setOpen(false));
  return (
    <div className="relative inline-block" ref={box}>
      <button
        type="button"
        className={typeof button === "string" ? "btn btn-ghost btn-xs" : ""}
        aria-label={typeof button === "string" ? label : undefined}
        aria-haspopup="menu"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        {button}
      </button>
      {open && (
        <div
          role="menu"
          aria-label={label}
          ref={keepInside}
          className={`pop absolute z-40 mt-1 min-w-44 p-1 ${align === "right" ? "right-0" : "left-0"}`}
        >
          {children(() => setOpen(false))}
        </div>
      )}
    </div>
  );
}

/** For what opens over the page: moved left, and made to scroll, where it would run out of the window. */
export function keepInside(element: HTMLElement | null): void {
  if (!element) return;
  const box = element.getBoundingClientRect();
  const over = box.right - (window.innerWidth - 8);
  if (over > 0) element.style.transform = `translateX(${-Math.min(over, box.left - 8)}px)`;
  if (box.bottom > window.innerHeight - 8) {
    element.style.maxHeight = `${Math.max(160, window.innerHeight - 8 - box.top)}px`;
    element.style.overflowY = "auto";
  }
}

export function MenuItem({
  children,
  onClick,
  disabled,
}: {
  children: ReactNode;
  onClick: () => void;
  disabled?: boolean;
}) {
  return (
    <button
      type="button"
      role="menuitem"
      disabled={disabled}
      className="hover:bg-base-200 disabled:muted block w-full rounded px-3 py-1.5 text-left text-sm"
      onClick={onClick}
    >
      {children}
    </button>
  );
}

export function useDismiss(box: React.RefObject<HTMLElement | null>, open: boolean, close: () => void): void {
  const tell = useRef(close);
  useEffect(() => {
    tell.current = close;
  });
  useEffect(() => {
    if (!open) return;
    const away = (e: PointerEvent) => {
      if (!box.current?.contains(e.target as Node)) tell.current();
    };
    const escape = (e: KeyboardEvent) => {
      if (e.key === "Escape") {
        tell.current();
        box.current?.querySelector<HTMLElement>("button")?.focus();
      }
    };
    document.addEventListener("pointerdown", away);
    document.addEventListener("keydown", escape);
    return () => {
      document.removeEventListener("pointerdown", away);
      document.removeEventListener("keydown", escape);
    };
  }, [open, box]);
}

export function useDebounced<T>(value: T, ms: number): T {
  const [kept, setKept] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setKept(value), ms);
    return () => window.clearTimeout(timer);
  }, [value, ms]);
  return kept;
}

export function count(n: number, one: string, many = `${one}s`): string {
  return `${n >= 10000 ? n.toLocaleString("en").replace(/,/g, "\u2009") : n} ${n === 1 ? one : many}`;
}

export const KIND_WORDS: Record<string, string> = { yes_no: "yes/no" };
export function kindWords(kind: string): string {
  return KIND_WORDS[kind] ?? kind;
}
