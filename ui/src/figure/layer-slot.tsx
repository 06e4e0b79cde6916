// What is drawn, as a slot of the sentence.
import { useRef, useState } from "react";
import { keepInside, useDismiss } from "../common/bits";

type Layer = "box" | "points" | "mean";
const LAYERS: [Layer, string, string][] = [["box", "box", "median, quartiles and whiskers"], ["points", "points", "every value"], ["mean", "mean", "mean with its interval"]];

export function LayerSlot({ value, set }: { value: Layer[]; set: (value: Layer[]) => void }) {
  const [open, setOpen] = useState(false);
  const box = useRef<HTMLSpanElement>(null);
  useDismiss(box, open, () => setOpen(false));
  const words = value.length > 1 ? `${value.slice(0, -1).join(", ")} and ${value[value.length - 1]}` : (value[0] ?? "…");
  const toggle = (layer: Layer) => set(LAYERS.map(([l]) => l).filter((l) => (l === layer ? !value.includes(l) : value.includes(l))));
  return (
    <span className="relative inline-block" ref={box}>
      <button type="button" className="slot" aria-haspopup="true" aria-expanded={open} aria-label={`Drawn as: ${words}`} data-slot="Drawn as" onClick={() => setOpen(!open)}>{words}</button>
      {open && (
        <span ref={keepInside} className="pop absolute left-0 top-full z-40 mt-1 block w-72 p-3 text-base font-normal leading-normal" role="group" aria-label="Drawn as">
          {LAYERS.map(([layer, name, help]) => (
            <label key={layer} className="flex cursor-pointer items-center gap-2.5 py-1">
              <input type="checkbox" className="checkbox checkbox-sm checkbox-primary" checked={value.includes(layer)} disabled={value.length === 1 && value[0] === layer} onChange={() => toggle(layer)} />
              <span>{name}</span><span className="muted text-sm">{help}</span>
            </label>
          ))}
        </span>
      )}
    </span>
  );
}
