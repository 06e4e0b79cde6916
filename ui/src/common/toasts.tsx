// Short messages that say what happened, with at most one thing to do about it.
import { cx } from "./classes";
import { useSyncExternalStore } from "react";
import { Problem } from "../client/api";

type Toast = { id: number; text: string; bad: boolean; action?: { label: string; run: () => void } };
let toasts: Toast[] = [];
let next = 1;
const listeners = new Set<() => void>();

function set(list: Toast[]): void {
  toasts = list;
  listeners.forEach((tell) => tell());
}

export function say(text: string, action?: Toast["action"], bad = false): void {
  const id = next++;
  set([...toasts.slice(-2), { id, text, action, bad }]);
  window.setTimeout(() => dismiss(id), bad || action ? 9000 : 4000);
}

export function sayProblem(problem: unknown): void {
  say(
    problem instanceof Problem || problem instanceof Error
      ? problem.message
      : "Something went wrong; nothing was changed.",
    undefined,
    true,
  );
}

function dismiss(id: number): void {
  set(toasts.filter((t) => t.id !== id));
}

export function Toasts() {
  const list = useSyncExternalStore(
    (tell) => (listeners.add(tell), () => listeners.delete(tell)),
    () => toasts,
  );
  return (
    <div
      className="fixed bottom-4 left-1/2 z-50 flex -translate-x-1/2 flex-col items-center gap-2"
      role="status"
      aria-live="polite"
    >
      {list.map((t) => (
        <div
          key={t.id}
          className={cx(
            "flex max-w-xl items-center gap-4 rounded-md px-4 py-2 text-sm shadow-lg",
            t.bad ? "bg-error text-error-content" : "bg-neutral text-neutral-content",
          )}
        >
          <span>{t.text}</span>
          {t.action && (
            <button className="font-semibold underline" onClick={() => (t.action?.run(), dismiss(t.id))}>
              {t.action.label}
            </button>
          )}
          <button aria-label="Close this message" onClick={() => dismiss(t.id)}>
            ×
          </button>
        </div>
      ))}
    </div>
  );
}
