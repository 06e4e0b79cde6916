// What is drawn, as a slot of the sentence.
import { cx } from "../common/classes";
import { useState } from "react";
import { Pop } from "../common/pop";

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
    <Pop
      open={open}
      set={(to) => (setOpen(to), setTicked(null))}
      label="Drawn as"
      role="group"
      className="w-80 p-3 text-base"
      trigger={
        <button
          type="button"
          className="slot"
          aria-haspopup="true"
          aria-label={`Drawn as: ${words}`}
          data-slot="Drawn as"
        >
          {words}
        </button>
      }
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
    </Pop>
  );
}
