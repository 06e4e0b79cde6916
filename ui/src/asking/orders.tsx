// Orders of models as chips, each three numbers or more, added by typing or pasting, beside words for what is found.
import { useState } from "react";
import { TakeAway, ToggleChip } from "../common/chips";
import { cx } from "../common/classes";
import { askOf, titleOf, type AskProps } from "./ask";
import { orderSaid, ordersOf, withOrders } from "./order";
import { Help } from "./simple";

export function Orders({ name, property, value, set, around }: AskProps) {
  const ask = askOf(property);
  const [text, setText] = useState("");
  const [wrong, setWrong] = useState(false);
  const size = ask.fields?.length ?? 3;
  const title = titleOf(name, property);
  // What was found stands as chips too, so that it can be taken from and added to.
  const found = Array.isArray(value) ? null : (ordersOf(around.found?.[name] ?? "", size) ?? []);
  const list = found ?? (ask.single ? [value as number[]] : (value as number[][]));
  const words = Object.entries(ask.words ?? {});
  const add = () => {
    if (!text.trim()) return;
    const made = ordersOf(text, size);
    setWrong(made === null);
    if (!made) return;
    set(ask.single ? made[0] : withOrders(list, made));
    setText("");
  };
  const drop = (i: number) => {
    const left = list.filter((_, k) => k !== i);
    // Without any left: none where there is such a word, else what is found.
    set(!ask.single && left.length ? left : ask.words?.none ? "none" : (property.default ?? null));
  };
  return (
    <fieldset className="field" data-option={name}>
      <legend>{title}</legend>
      <Help>{ask.help}</Help>
      <div className="mt-1 flex flex-wrap items-center gap-1.5">
        {words.map(([v, w]) => (
          <ToggleChip key={v} on={value === v} onClick={() => set(v)}>
            {w}
          </ToggleChip>
        ))}
        {list.map((order, i) => (
          <span key={orderSaid(order)} className={cx("chip !py-0", found && "muted")}>
            {orderSaid(order)}
            <TakeAway label={`Drop ${orderSaid(order)}`} onClick={() => drop(i)} />
          </span>
        ))}
        <input
          className={`input input-xs w-28 ${wrong ? "input-error" : ""}`}
          aria-label={`Add to ${title}`}
          aria-invalid={wrong}
          placeholder={(ask.fields ?? []).join(", ")}
          value={text}
          onChange={(e) => (setText(e.target.value), setWrong(false))}
          onBlur={add}
          onKeyDown={(e) => e.key === "Enter" && (e.preventDefault(), add())}
        />
      </div>
      {wrong && <p className="text-error mt-1 text-xs">{`${size} whole numbers, such as ${EXAMPLES[size] ?? ""}`}</p>}
    </fieldset>
  );
}

const EXAMPLES: Record<number, string> = { 3: "(1, 1, 0)", 4: "(0, 1, 1, 12)" };
