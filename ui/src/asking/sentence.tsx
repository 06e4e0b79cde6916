// A sentence with its slots, drawn from a template such as "Does {response} differ between {groups}?".
import type { ReactNode } from "react";
import { askOf, type Around, type Properties } from "./ask";
import { AskField } from "./ask-field";

export function Sentence({
  template,
  properties,
  needed,
  around,
  set,
  extra,
}: {
  template: string;
  properties: Properties;
  needed: string[];
  around: Around;
  set: (field: string, value: unknown) => void;
  /** Parts that are no field of the schema. */
  extra?: Record<string, ReactNode>;
}) {
  const parts = template.split(/(\{\w+\})/);
  const part = (field: string, after?: string) =>
    extra?.[field] ??
    (properties[field] && (
      <AskField
        name={field}
        property={properties[field]}
        value={around.spec[field]}
        set={(v) => set(field, v)}
        around={around}
        needed={needed.includes(field)}
        after={after}
        bare
      />
    ));
  return (
    <div className="sentence" data-testid="sentence">
      {parts.map((text, i) => {
        const field = /^\{(\w+)\}$/.exec(text)?.[1];
        // A comma or a question mark stays with the slot before it.
        if (!field) return <span key={i}>{i > 0 ? text.replace(/^[?,.]+/, "") : text}</span>;
        const mark = /^[?,.]+/.exec(parts[i + 1] ?? "")?.[0] ?? "";
        // Terms and units may take several lines, and end with the mark themselves.
        const long = ["terms", "units"].includes(askOf(properties[field]).shown);
        if (long) return <span key={i}>{part(field, mark)}</span>;
        return (
          <span key={i} className="whitespace-nowrap">
            {part(field)}
            {mark}
          </span>
        );
      })}
    </div>
  );
}
