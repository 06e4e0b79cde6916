// What is drawn, as a slot of the sentence.
import { cx } from "../common/classes";
import { useRef, useState } from "react";
import { keepInside, useDismiss } from "../common/bits";

export type LayerCard = { id: string; words: string; help: string; alone: boolean };

export function LayerSlot({
  layers,
  value,
  set,
}: {
  layers: LayerCard[];
  value: string[];
  set: (value: string[]) => void;
}) {
  const [open, setOpen] = useState(false);
  // What was ticked shows at once; the sentence follows a moment later.
  const [ticked, setTicked] = useState<string[] | null>(null);
  const box = useRef<HTMLSpanElement>(null);
  const close = () => (setOpen(false), setTicked(null));
  useDismiss(box, open, close);
  const chosen = ticked ?? value;
  const on = layers.filter((l) => chosen.includes(l.id));
  const named = on.map((l) => l.words);
  const words =
    named.length > 1 ? `${named.slice(0, -1).join(", ")} and ${named[named.length - 1]}` : (named[0] ?? "…");
  const toggle = (layer: LayerCard) => {
    const others = on.filter((l) => !l.alone).map((l) => l.id);
    const next = layer.alone
      ? [layer.id]
      : layers.map((l) => l.id).filter((l) => (l === layer.id ? !others.includes(l) : others.includes(l)));
    setTicked(next);
    set(next);
  };
  return (
    <span className="relative inline-block" ref={box}>
      <button
        type="button"
        className="slot"
        aria-haspopup="true"
        aria-expanded={open}
        aria-label={`Drawn as: ${words}`}
        data-slot="Drawn as"
        onClick={() => (open ? close() : setOpen(true))}
      >
        {words}
      </button>
      {open && (
        <span
          ref={keepInside}
          className="pop absolute left-0 top-full z-40 mt-1 block w-80 p-3 text-base font-normal leading-normal"
          role="group"
          aria-label="Drawn as"
        >
          {layers.map((layer) => (
            <label key={layer.id} className="flex cursor-pointer items-baseline gap-2.5 py-1">
              <input
                type={layer.alone ? "radio" : "checkbox"}
                className={cx(
                  layer.alone ? "radio radio-sm radio-primary" : "checkbox checkbox-sm checkbox-primary",
                  "translate-y-1",
                )}
                data-layer={layer.id}
                checked={chosen.includes(layer.id)}
                disabled={!layer.alone && named.length === 1 && chosen.includes(layer.id)}
                onChange={() => toggle(layer)}
              />
              <span className="whitespace-nowrap">{layer.words}</span>
              <span className="muted text-sm">{layer.help}</span>
            </label>
          ))}
        </span>
      )}
    </span>
  );
}
