// The list of steps, by family, found by typing.
import { cx } from "../common/classes";
import { useEffect, useMemo, useRef, useState } from "react";
import { keepInside, useDismiss } from "../common/bits";

export type StepKind = { step: string; words: string; help: string; family: string; fresh: boolean; listed: boolean };

export function AddStep({ kinds, choose }: { kinds: StepKind[]; choose: (step: string) => void }) {
  const [open, setOpen] = useState(false);
  const box = useRef<HTMLDivElement>(null);
  useDismiss(box, open, () => setOpen(false));
  return (
    <div className="relative inline-block" ref={box}>
      <button
        type="button"
        data-key="add-step"
        aria-haspopup="listbox"
        aria-expanded={open}
        className="text-primary border-primary block rounded-md border px-2.5 py-1.5 text-[0.86rem] font-semibold"
        onClick={() => setOpen(!open)}
      >
        Add a step
      </button>
      {open && (
        <StepList
          kinds={kinds}
          choose={(s) => (choose(s), setOpen(false))}
          close={() => (setOpen(false), box.current?.querySelector("button")?.focus())}
        />
      )}
    </div>
  );
}

function StepList({ kinds, choose, close }: { kinds: StepKind[]; choose: (step: string) => void; close: () => void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const [eager, setEager] = useState(false);
  const list = useRef<HTMLDivElement>(null);
  const search = useRef<HTMLInputElement>(null);
  // Focus without scrolling: the list may open past the edge before it is moved inside.
  useEffect(() => search.current?.focus({ preventScroll: true }), []);
  const found = useMemo(() => {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    return kinds.filter((k) =>
      words.every((w) => `${k.step} ${k.words} ${k.help} ${k.family}`.toLowerCase().includes(w)),
    );
  }, [kinds, text]);
  const families = [...new Set(found.map((k) => k.family))];
  const flat = families.flatMap((f) => found.filter((k) => k.family === f));
  // Two columns of about equal length, families whole.
  const sizes = families.map((f) => found.filter((k) => k.family === f).length + 1.6);
  const half = sizes.reduce((a, b) => a + b, 0) / 2;
  const cut = sizes.findIndex((_, i) => sizes.slice(0, i + 1).reduce((a, b) => a + b, 0) >= half) + 1;
  const [left, right] = [families.slice(0, cut), families.slice(cut)];
  const current = flat[Math.min(at, flat.length - 1)];
  // Enter before the list has come is kept, and done when it is there.
  useEffect(() => {
    if (eager && current) choose(current.step);
  }, [eager, current, choose]);
  useEffect(() => {
    list.current?.querySelector('[aria-selected="true"]')?.scrollIntoView({ block: "nearest" });
  }, [at]);
  return (
    <div ref={keepInside} className="pop absolute left-0 z-40 mt-1 w-[44rem] max-w-[92vw] p-2">
      <input
        className="input input-sm mb-2 w-full"
        role="combobox"
        aria-expanded="true"
        aria-controls="step-list"
        aria-label="Find a step"
        ref={search}
        placeholder="What should happen? join, recode, lag, empty, long …"
        value={text}
        aria-activedescendant={current ? `step-${current.step}` : undefined}
        onChange={(e) => (setText(e.target.value), setAt(0))}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") void (e.preventDefault(), setAt(Math.min(flat.length - 1, at + 1)));
          else if (e.key === "ArrowUp") void (e.preventDefault(), setAt(Math.max(0, at - 1)));
          else if (e.key === "Enter") {
            e.preventDefault();
            if (current) choose(current.step);
            else if (!kinds.length) setEager(true);
          } else if (e.key === "Escape") void (e.stopPropagation(), close());
        }}
      />
      <div
        ref={list}
        id="step-list"
        role="listbox"
        aria-label="Steps"
        className="grid max-h-[52vh] grid-cols-2 gap-x-5 overflow-y-auto max-[760px]:grid-cols-1"
      >
        {[left, right].map((side, i) => (
          <div key={i}>
            {side.map((family) => (
              <div key={family} role="group" aria-label={family} className="mb-3">
                <p className="muted px-2 text-[0.82rem]" aria-hidden="true">
                  {family}
                </p>
                {found
                  .filter((k) => k.family === family)
                  .map((k) => (
                    // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the combobox above has the keys
                    <div
                      key={k.step}
                      id={`step-${k.step}`}
                      role="option"
                      tabIndex={-1}
                      aria-selected={k === current}
                      title={k.help}
                      data-step-kind={k.step}
                      className={cx(
                        "cursor-pointer rounded px-2 py-[0.28rem] text-[0.95rem] leading-snug",
                        k === current ? "bg-primary/12" : "",
                      )}
                      onPointerMove={() => setAt(flat.indexOf(k))}
                      onClick={() => choose(k.step)}
                    >
                      {plainWords(k.words)}
                    </div>
                  ))}
              </div>
            ))}
          </div>
        ))}
        {flat.length === 0 && (
          <p className="muted p-2">No step does that. Try another word; an expression under “Compute” may do it.</p>
        )}
      </div>
      <p className="muted rule mt-1 min-h-[3.1rem] border-t px-2 pt-1.5 text-[0.88rem]">{current?.help}</p>
    </div>
  );
}

/** "Keep the rows where …" */
function plainWords(words: string): string {
  return words.replace(/\{\w+\}/g, "…").replace(/: …$/, "");
}
