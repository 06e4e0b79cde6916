// What is drawn, as a slot of the sentence.
import { useRef, useState } from "react";
import { keepInside, useDismiss } from "../common/bits";

export type LayerCard = { id: string; words: string; help: string; alone: boolean };

export function LayerSlot({ layers, value, set }: { layers: LayerCard[]; value: string[]; set: (value: string[]) => void }) {
  const [open, setOpen] = useState(false);
  const box = useRef<HTMLSpanElement>(null);
  useDismiss(box, open, () => setOpen(false));
  const on = layers.filter((l) => value.includes(l.id));
  const named = on.map((l) => l.words);
  const words = named.length > 1 ? `${named.slice(0, -1).join(", ")} and ${named[named.length - 1]}` : (named[0] ?? "…");
  const toggle = (layer: LayerCard) => {
    if (layer.alone) return set([layer.id]);
    const others = on.filter((l) => !l.alone).map((l) => l.id);
    set(layers.map((l) => l.id).filter((l) => (l === layer.id ? !others.includes(l) : others.includes(l))));
  };
  return (
    <span className="relative inline-block" ref={box}>
      <button type="button" className="slot" aria-haspopup="true" aria-expanded={open} aria-label={`Drawn as: ${words}`} data-slot="Drawn as" onClick={() => setOpen(!open)}>{words}</button>
      {open && (
        <span ref={keepInside} className="pop absolute left-0 top-full z-40 mt-1 block w-80 p-3 text-base font-normal leading-normal" role="group" aria-label="Drawn as">
          {layers.map((layer) => (
            <label key={layer.id} className="flex cursor-pointer items-baseline gap-2.5 py-1">
              <input type={layer.alone ? "radio" : "checkbox"} className={`${layer.alone ? "radio radio-sm radio-primary" : "checkbox checkbox-sm checkbox-primary"} translate-y-1`} data-layer={layer.id} checked={value.includes(layer.id)} disabled={!layer.alone && named.length === 1 && value.includes(layer.id)} onChange={() => toggle(layer)} />
              <span className="whitespace-nowrap">{layer.words}</span><span className="muted text-sm">{layer.help}</span>
            </label>
          ))}
        </span>
      )}
    </span>
  );
}
