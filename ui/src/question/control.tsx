// The setting that decides about a table, offered beside it.
import type { Column } from "../client/api";
import { Fragment } from "react";
import { ComparisonsField } from "./comparisons";
import type { Option } from "./fields";
import { CasesForm, PointsField, ReferencesField } from "./model-fields";
import { namesFor } from "./settings";

export function Control({
  field,
  option,
  spec,
  shown,
  columns,
  set,
}: {
  field: string;
  option: Option;
  spec: Record<string, unknown>;
  shown: unknown;
  columns: Column[];
  set: (v: unknown) => void;
}) {
  const names = namesFor(option, spec);
  const bare = { ...option, help: "" };
  const props = { field, option: bare, value: shown, set, names, columns };
  // Drafts begin anew when the columns change.
  return (
    <Fragment key={names.join("\u0001")}>
      {option.place === "comparisons" ? (
        <div className="mb-1">
          <ComparisonsField {...props} />
        </div>
      ) : option.place === "cases" ? (
        <CasesForm {...props} />
      ) : option.place === "references" ? (
        <div className="mb-1">
          <ReferencesField {...props} />
        </div>
      ) : option.place === "points" ? (
        <div className="mb-1">
          <PointsField {...props} />
        </div>
      ) : option.place === "numbers_of" ? (
        <div className="mb-1">
          <PointsField {...props} numbersOnly />
        </div>
      ) : null}
    </Fragment>
  );
}
