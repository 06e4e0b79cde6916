// The keys of Yavik: few, and shown by "?".
import { useEffect, useRef } from "react";
import { useNavigate, useParams } from "react-router";
import { useContents, useUndo } from "../client/hooks";
import { path } from "./contents";
import { Modal } from "./modal";

const KEYS: [string, string][] = [
  ["/", "find or ask anything"],
  ["n t", "new table"],
  ["n q", "new question"],
  ["n f", "new figure"],
  ["g t", "to the tables"],
  ["g q", "to the questions"],
  ["g f", "to the figures"],
  ["g r", "to the report"],
  ["[  ]", "previous and next entry"],
  ["e", "the sentence"],
  ["a", "add to the report"],
  ["Ctrl Z", "undo, anywhere"],
  ["Ctrl Shift Z", "do again"],
  ["?", "this list"],
];

function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName))
  );
}

function press(name: string): void {
  document.querySelector<HTMLElement>(`[data-key="${name}"]`)?.click();
}

export function useKeys({
  study,
  openPalette,
  openHelp,
}: {
  study: string;
  openPalette: () => void;
  openHelp: () => void;
}): void {
  const go = useNavigate();
  const { id } = useParams();
  const { data } = useContents(study);
  const move = useUndo(study);
  const first = useRef("");
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (typing(e.target) || document.querySelector("dialog[open]")) return;
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z" && study) {
        e.preventDefault();
        move.mutate(e.shiftKey ? "redo" : "undo");
        return;
      }
      if (e.ctrlKey || e.metaKey || e.altKey) return;
      const entries = data?.entries ?? [];
      const to = (type: string) => entries.find((x) => x.type === type);
      const lead = first.current;
      first.current = "";
      if (e.key === "/") void (e.preventDefault(), openPalette());
      else if (e.key === "?") openHelp();
      else if (lead === "n" && study) {
        if (e.key === "t") void go(`/s/${study}/bring`);
        const table = entries.find((x) => x.id === id && x.type === "table") ?? to("table");
        if (e.key === "q" && table) void go(`/s/${study}/ask/${table.id}`);
        if (e.key === "f") document.querySelector<HTMLElement>('[aria-label="Draw a figure"]')?.click();
      } else if (lead === "g" && study) {
        const type = { t: "table", q: "question", f: "figure", r: "report" }[e.key];
        const found = type && to(type);
        if (found) void go(path(study, found));
      } else if (e.key === "n" || e.key === "g") first.current = e.key;
      else if (e.key === "[" || e.key === "]") {
        const at = entries.findIndex((x) => x.id === id);
        const next = entries[e.key === "]" ? at + 1 : at < 0 ? entries.length - 1 : at - 1];
        if (next) void go(path(study, next));
      } else if (e.key === "e") void (e.preventDefault(), document.querySelector<HTMLElement>(".slot")?.focus());
      else if (e.key === "a") press("add-to-report");
    };
    document.addEventListener("keydown", down);
    return () => document.removeEventListener("keydown", down);
  });
}

export function HelpKeys({ close }: { close: () => void }) {
  return (
    <Modal title="Keys" close={close}>
      <dl className="grid grid-cols-[auto_1fr] gap-x-6 gap-y-1.5">
        {KEYS.map(([key, words]) => (
          <div key={key} className="contents">
            <dt>
              {key
                .split(" ")
                .filter(Boolean)
                .map((k) => (
                  <kbd key={k} className="kbd kbd-sm mr-1">
                    {k}
                  </kbd>
                ))}
            </dt>
            <dd>{words}</dd>
          </div>
        ))}
      </dl>
    </Modal>
  );
}
