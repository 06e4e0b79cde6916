// The setting that decides about a table, offered beside it.
import type { Around, Property } from "../asking/ask";
import { AskField } from "../asking/ask-field";

export function Control({
  field,
  property,
  around,
  set,
}: {
  field: string;
  property: Property | undefined;
  around: Around;
  set: (v: unknown) => void;
}) {
  if (!property?.ask) return null;
  const unexplained = { ...property, ask: { ...property.ask, help: "" } };
  return (
    <div className="mb-1">
      <AskField name={field} property={unexplained} value={around.spec[field]} set={set} around={around} />
    </div>
  );
}
