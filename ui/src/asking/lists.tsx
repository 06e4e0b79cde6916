// Several values at once: chips of choices, typed codes, an order made by hand; and a number on a slider.
import { useState } from "react";
import { ToggleChip } from "../common/chips";
import { asList } from "../common/lists";
import { askOf, choicesOf, titleOf, type AskProps } from "./ask";
import { Labelled } from "./simple";

export function Slider({ name, property, value, set }: AskProps) {
  const { min, max, step, help } = askOf(property);
  return (
    <Labelled label={titleOf(name, property)} help={help}>
      <input
        type="range"
        className="range range-xs range-primary mt-2 w-full"
        data-option={name}
        min={min}
        max={max}
        step={step}
        value={Number(value)}
        onChange={(e) => set(Number(e.target.value))}
      />
    </Labelled>
  );
}

export function Several({ name, property, value, set }: AskProps) {
  const chosen = asList(value);
  return (
    <span role="group" aria-label={titleOf(name, property)} className="inline-flex flex-wrap gap-1.5 text-[0.9rem]">
      {choicesOf(property).map(([v, words]) => (
        <ToggleChip
          key={v}
          on={chosen.includes(v)}
          onClick={() => set(chosen.includes(v) ? chosen.filter((x) => x !== v) : [...chosen, v])}
        >
          {words}
        </ToggleChip>
      ))}
    </span>
  );
}

export function Codes({ name, property, value, set, around }: AskProps) {
  const [text, setText] = useState(asList(value).join(", "));
  const read = (typed: string) => typed.split(",").map((c) => c.trim().replace(/−/g, "-"));
  return (
    <input
      className="input input-sm w-56"
      aria-label={titleOf(name, property)}
      placeholder={askOf(property).placeholder}
      value={text}
      onKeyDown={(e) => e.key === "Enter" && around.enter?.()}
      onChange={(e) => (setText(e.target.value), set(read(e.target.value).filter(Boolean)))}
    />
  );
}

/** Levels moved up and down; those that are not in the list yet stand as they come. */
export function ByHand({ name, property, set, around }: AskProps) {
  const groups = around.levels?.(askOf(property)) ?? [];
  const move = (i: number, by: -1 | 1) => {
    const next = [...groups];
    [next[i], next[i + by]] = [next[i + by]!, next[i]!];
    set(next);
  };
  return (
    <ol className="text-sm" aria-label={titleOf(name, property)}>
      {groups.slice(0, 40).map((g, i) => (
        <li key={g} className="flex items-center gap-1">
          <span className="min-w-0 flex-1 truncate" title={g}>
            {g}
          </span>
          <Arrow label={`Move ${g} forward`} off={i === 0} run={() => move(i, -1)} sign="↑" />
          <Arrow label={`Move ${g} back`} off={i === groups.length - 1} run={() => move(i, 1)} sign="↓" />
        </li>
      ))}
    </ol>
  );
}

function Arrow({ label, off, run, sign }: { label: string; off: boolean; run: () => void; sign: string }) {
  return (
    <button type="button" className="btn btn-ghost btn-xs" aria-label={label} disabled={off} onClick={run}>
      {sign}
    </button>
  );
}
