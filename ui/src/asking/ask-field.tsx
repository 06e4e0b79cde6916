// A field as it is asked for, wherever it stands: in the sentence of a question, a step or a figure, or among settings.
import { Fragment, type ComponentType } from "react";
import { askOf, choicesOf, namesFor, titleOf, type AskProps } from "./ask";
import { ColumnAsk, ColumnsAsk, LevelAsk, RowsAsk, SetsAsk, TableAsk } from "./columns";
import { ComparisonsField } from "./comparisons";
import { ContrastsField } from "./contrasts";
import { ExpressionInput } from "./expression";
import { Keyed } from "./keyed";
import { ByHand, Codes, Several, Slider } from "./lists";
import { Orders } from "./orders";
import { Pairs } from "./pairs";
import { CasesForm, LevelNumbers, PointsField, ReferencesField } from "./points";
import { Check, Choice, ChoiceOrNumber, Num, Numbers, Text } from "./simple";
import { TermsSlot } from "./terms-slot";
import { SimulateField } from "./simulate";
import { TypedSlot } from "./typed-slot";
import { UnitsSlot } from "./units-slot";

/** One editor per `shown`; those that are missing are set where they are seen at work. */
export const EDITORS: Record<string, ComponentType<AskProps>> = {
  text: TextAsk,
  number: NumberAsk,
  slider: Slider,
  flag: FlagAsk,
  choice: ChoiceAsk,
  choice_or_number: ChoiceOrNumberAsk,
  expression: ExpressionAsk,
  level: LevelAsk,
  table: TableAsk,
  several: Several,
  codes: Codes,
  numbers: NumbersAsk,
  rows: RowsAsk,
  by_hand: ByHand,
  column: ColumnAsk,
  columns: ColumnsAsk,
  sets: SetsAsk,
  shares: LevelNumbers,
  keyed: Keyed,
  values: LevelNumbers,
  numbers_of: PointsField,
  points: PointsField,
  references: ReferencesField,
  pairs: Pairs,
  terms: TermsSlot,
  units: UnitsSlot,
  orders: Orders,
  simulate: SimulateField,
  typed: TypedSlot,
  models: Lined,
  cases: CasesForm,
  comparisons: ComparisonsField,
  contrasts: ContrastsField,
};

export function AskField(props: AskProps) {
  const Editor = EDITORS[askOf(props.property).shown];
  if (!Editor) return null;
  // Drafts begin anew when the columns that they speak of change.
  const names = namesFor(askOf(props.property), props.around.spec);
  return (
    <Fragment key={names.join("\u0001")}>
      <Editor {...props} />
    </Fragment>
  );
}

/** Title and help where a field stands by itself; its name for screen readers within a sentence. */
function named({ name, property, bare }: AskProps) {
  const title = titleOf(name, property);
  return bare
    ? { mark: { "data-option": name, "aria-label": title } }
    : { label: title, help: askOf(property).help, mark: { "data-option": name } };
}

function TextAsk(props: AskProps) {
  const { name, property, value, set, around, bare } = props;
  const placeholder = askOf(property).placeholder || (bare ? titleOf(name, property).toLowerCase() : undefined);
  return (
    <Text
      {...named(props)}
      value={typeof value === "string" ? value : ""}
      placeholder={around.found?.[name] ?? placeholder}
      set={(v) => set(v === "" && property.default === null ? null : v)}
      live={bare}
      enter={around.enter}
      width={bare ? "w-48" : undefined}
    />
  );
}

function NumberAsk(props: AskProps) {
  const { property, value, set, around, bare } = props;
  const ask = askOf(property);
  const open = ask.empty || property.default === null;
  return (
    <Num
      {...named(props)}
      value={value as number | null | undefined}
      placeholder={ask.placeholder || (open ? "none" : undefined)}
      min={ask.min}
      max={ask.max}
      step={ask.step}
      set={(v) => (v !== null || open) && set(v)}
      live={bare}
      enter={around.enter}
      width={bare ? "w-24" : undefined}
    />
  );
}

function FlagAsk(props: AskProps) {
  return <Check {...named(props)} value={Boolean(props.value)} set={props.set} />;
}

function ChoiceAsk(props: AskProps) {
  const { name, property, value, set, around, bare } = props;
  return (
    <Choice
      {...named(props)}
      value={String(value ?? "")}
      options={choicesOf(property, around.only?.[name])}
      set={(v) => set(property.type === "boolean" ? v === "true" : v)}
      missing={bare && value === undefined ? titleOf(name, property).toLowerCase() : undefined}
    />
  );
}

function ChoiceOrNumberAsk(props: AskProps) {
  const { property, value, set, around, name } = props;
  return (
    <ChoiceOrNumber
      {...named(props)}
      value={typeof value === "number" ? value : String(value ?? "")}
      options={choicesOf(property, around.only?.[name])}
      min={askOf(property).min ?? undefined}
      set={set}
    />
  );
}

function NumbersAsk(props: AskProps) {
  const value = Array.isArray(props.value) ? (props.value as number[]) : [];
  return <Numbers {...named(props)} value={value} set={props.set} />;
}

function ExpressionAsk(props: AskProps) {
  const { name, property, value, set, around, bare } = props;
  const title = titleOf(name, property);
  if (!bare) {
    const help = askOf(property).help;
    const mark = { "data-option": name };
    return <Text label={title} help={help} mark={mark} value={String(value ?? "")} set={(v) => set(v || null)} />;
  }
  return (
    <ExpressionInput
      label={title}
      value={String(value ?? "")}
      set={set}
      columns={around.columns}
      position={around.wrong?.position}
      enter={() => around.enter?.()}
    />
  );
}

function Lined({ value, property, name }: AskProps) {
  const models = Array.isArray(value) ? value.length : 0;
  return (
    <span className={models ? "font-semibold" : "slot empty"} data-slot={titleOf(name, property)}>
      {models ? `these ${models}` : askOf(property).placeholder}
    </span>
  );
}
