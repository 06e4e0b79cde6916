// One search box that finds entries, columns, questions by trade name, and actions.
import { Command } from "cmdk";
import { useNavigate } from "react-router";
import { useCatalogue, useContents, useNewQuestion, useStudies, useTable } from "../client/hooks";
import { path } from "./contents";
import { Modal } from "./modal";
import { useTheme } from "./theme";

const AIM_ROW = "data-[selected=true]:bg-primary/12 cursor-pointer rounded px-3 py-1.5 flex justify-between gap-4";

/** Every word typed must stand in it: a guess at likeness would put the wrong thing under Enter.
 *  What holds the words as they were typed comes first, then what has words that begin with them. */
function matches(value: string, search: string): number {
  const text = value.toLowerCase();
  const typed = search.toLowerCase().trim();
  const words = typed.split(/\s+/).filter(Boolean);
  if (!words.every((w) => text.includes(w))) return 0;
  if (text.includes(typed)) return 1;
  return words.every((w) => text.split(/[^\p{L}\p{N}]+/u).some((t) => t.startsWith(w))) ? 0.6 : 0.3;
}

export function Palette({ study, close }: { study: string; close: () => void }) {
  const go = useNavigate();
  const contents = useContents(study);
  const studies = useStudies();
  const catalogue = useCatalogue();
  const { toggle } = useTheme();
  const table = contents.data?.entries.find((e) => e.type === "table");
  const columns = useTable(study, table?.id).data?.table?.columns ?? [];
  const ask = useNewQuestion(study, (made) => go(`/s/${study}/q/${made.id}`));
  const then = (run: () => void) => () => (close(), run());
  return (
    <Modal title="Find or ask anything" close={close}>
      <Command label="Find or ask anything" loop filter={matches}>
        <Command.Input
          autoFocus
          className="input w-full"
          placeholder="A table, column, question, figure, method or action"
        />
        <Command.List className="mt-2 max-h-96 overflow-auto">
          <Command.Empty className="muted px-3 py-2">Nothing of that name.</Command.Empty>
          {contents.data?.entries.map((e) => (
            <Command.Item
              key={e.id}
              value={`${e.name} ${e.type} ${e.id}`}
              className={AIM_ROW}
              onSelect={then(() => void go(path(study, e)))}
            >
              <span>{e.name}</span>
              <span className="muted text-sm">{e.type}</span>
            </Command.Item>
          ))}
          {table &&
            catalogue.data?.methods.map((m) => (
              <Command.Item
                key={m.id}
                value={`ask ${m.title} ${m.keywords.join(" ")}`}
                className={AIM_ROW}
                onSelect={then(() => ask.mutate({ table: table.id, method: m.id }))}
              >
                <span>{m.layouts[0]?.sentence.replace(/\{(\w+)\}/g, "…")}</span>
                <span className="muted shrink-0 text-sm">ask</span>
              </Command.Item>
            ))}
          {table &&
            columns.slice(0, 400).map((c) => (
              <Command.Item
                key={c.name}
                value={`column ${c.name} ${c.label ?? ""}`}
                className={AIM_ROW}
                onSelect={then(() => void go(`/s/${study}/t/${table.id}?column=${encodeURIComponent(c.name)}`))}
              >
                <span>{c.label ?? c.name}</span>
                <span className="muted text-sm">column of {table.name}</span>
              </Command.Item>
            ))}
          {study && (
            <Command.Item
              value="bring in a file new table import"
              className={AIM_ROW}
              onSelect={then(() => void go(`/s/${study}/bring`))}
            >
              Bring in a file
            </Command.Item>
          )}
          {studies.data?.map((s) => (
            <Command.Item
              key={s.id}
              value={`study ${s.name} ${s.id}`}
              className={AIM_ROW}
              onSelect={then(() => void go(`/s/${s.id}`))}
            >
              <span>{s.name}</span>
              <span className="muted text-sm">study</span>
            </Command.Item>
          ))}
          <Command.Item value="theme dark light" className={AIM_ROW} onSelect={then(toggle)}>
            Light or dark theme
          </Command.Item>
        </Command.List>
      </Command>
    </Modal>
  );
}
