import { useEditorState, type Editor } from "@tiptap/react";
import { Bold, Italic, List, ListOrdered, Redo2, Subscript as Sub, Superscript as Sup, Undo2 } from "lucide-react";
import { use, type ReactNode } from "react";
import { Menu, MenuChild, MenuItem } from "../common/pop";
import { EmbedsContext, newUid } from "./embeds";

const SIGNS = [
  "α",
  "β",
  "γ",
  "δ",
  "ε",
  "η²",
  "θ",
  "κ",
  "λ",
  "μ",
  "π",
  "ρ",
  "σ",
  "τ",
  "φ",
  "χ²",
  "ψ",
  "ω²",
  "Δ",
  "Σ",
  "Ω",
  "±",
  "×",
  "−",
  "≤",
  "≥",
  "≠",
  "≈",
  "°",
  "–",
  "…",
  "½",
  "√",
  "∞",
];
type ParagraphKind = "paragraph" | "h1" | "h2" | "h3" | "reference";

export function Toolbar({ editor }: { editor: Editor }) {
  const { targets } = use(EmbedsContext);
  const on = useEditorState({
    editor,
    selector: ({ editor: e }) => ({
      bold: e.isActive("bold"),
      italic: e.isActive("italic"),
      bullets: e.isActive("bulletList"),
      numbers: e.isActive("orderedList"),
      sup: e.isActive("superscript"),
      sub: e.isActive("subscript"),
      kind: e.isActive("reference")
        ? "reference"
        : (([1, 2, 3].map((l) => (e.isActive("heading", { level: l }) ? `h${l}` : "")).find(Boolean) ??
            "paragraph") as ParagraphKind),
      undo: e.can().undo(),
      redo: e.can().redo(),
    }),
  });
  // Focus comes back at once, not a frame later: the first letter typed after a press must not be lost.
  const chain = () => (editor.view.focus(), editor.chain());
  const put = (node: object) => chain().insertContent(node).run();
  const setKind = (kind: ParagraphKind) => {
    if (kind === "paragraph") chain().setParagraph().run();
    else if (kind === "reference") chain().setNode("reference").run();
    else
      chain()
        .setHeading({ level: Number(kind[1]) as 1 | 2 | 3 })
        .run();
  };
  return (
    <div
      role="toolbar"
      aria-label="Text"
      className="bg-base-200/90 sticky top-0 z-30 mx-auto mb-3 flex max-w-[46rem] flex-wrap items-center gap-1 py-1"
    >
      <select
        className="select select-sm w-36"
        aria-label="Kind of paragraph"
        value={on.kind}
        onChange={(e) => setKind(e.target.value as ParagraphKind)}
      >
        <option value="paragraph">Text</option>
        <option value="h1">Title</option>
        <option value="h2">Heading</option>
        <option value="h3">Small heading</option>
        <option value="reference">Reference entry</option>
      </select>
      <Tool label="Bold" on={on.bold} run={() => chain().toggleBold().run()}>
        <Bold size={16} />
      </Tool>
      <Tool label="Italic" on={on.italic} run={() => chain().toggleItalic().run()}>
        <Italic size={16} />
      </Tool>
      <Tool label="Superscript" on={on.sup} run={() => chain().toggleMark("superscript").run()}>
        <Sup size={16} />
      </Tool>
      <Tool label="Subscript" on={on.sub} run={() => chain().toggleMark("subscript").run()}>
        <Sub size={16} />
      </Tool>
      <Tool label="List" on={on.bullets} run={() => chain().toggleBulletList().run()}>
        <List size={16} />
      </Tool>
      <Tool label="Numbered list" on={on.numbers} run={() => chain().toggleOrderedList().run()}>
        <ListOrdered size={16} />
      </Tool>
      <Menu label="Signs" align="left" button={<span className="btn btn-ghost btn-sm">Ω</span>}>
        <div className="grid w-56 grid-cols-7 gap-0.5 p-1">
          {SIGNS.map((s) => (
            <MenuChild key={s} onSelect={() => put({ type: "text", text: s })}>
              <button type="button" className="btn btn-ghost btn-xs data-[highlighted]:bg-base-200">
                {s}
              </button>
            </MenuChild>
          ))}
        </div>
      </Menu>
      <Menu label="Insert" align="left" button={<span className="btn btn-ghost btn-sm">Insert</span>}>
        <div className="max-h-80 w-72 overflow-y-auto">
          <MenuItem onClick={() => put({ type: "footnote", attrs: { text: "" } })}>Footnote</MenuItem>
          <MenuItem onClick={() => put([{ type: "pageBreak" }, { type: "paragraph" }])}>Page break</MenuItem>
          <MenuItem
            onClick={() =>
              put([
                { type: "appendix", attrs: { uid: newUid(), parts: ["preparation", "dictionary", "methods"] } },
                { type: "paragraph" },
              ])
            }
          >
            Appendix made from the study
          </MenuItem>
          <p className="muted px-3 pt-2 text-xs">Reference to</p>
          {targets.length === 0 && (
            <p className="muted px-3 py-1 text-sm">No table or figure stands in the report yet.</p>
          )}
          {targets.map((t) => (
            <MenuItem
              key={t.uid + t.part}
              onClick={() => put({ type: "crossReference", attrs: { target: t.uid, part: t.part } })}
            >
              <b>{t.label}</b> <span className="muted">{t.title}</span>
            </MenuItem>
          ))}
        </div>
      </Menu>
      <span className="flex-1" />
      <Tool label="Undo typing" on={false} off={!on.undo} run={() => chain().undo().run()}>
        <Undo2 size={16} />
      </Tool>
      <Tool label="Type again" on={false} off={!on.redo} run={() => chain().redo().run()}>
        <Redo2 size={16} />
      </Tool>
    </div>
  );
}

function Tool({
  label,
  on,
  run,
  off = false,
  children,
}: {
  label: string;
  on: boolean;
  run: () => void;
  off?: boolean;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      className={`btn btn-sm btn-square ${on ? "btn-neutral" : "btn-ghost"}`}
      aria-label={label}
      aria-pressed={on}
      title={label}
      disabled={off}
      onMouseDown={(e) => e.preventDefault()}
      onClick={run}
    >
      {children}
    </button>
  );
}
