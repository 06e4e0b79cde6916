import { useEditorState, type Editor } from "@tiptap/react";
import { Bold, Italic, List, ListOrdered } from "lucide-react";
import type { ReactNode } from "react";

export function Toolbar({ editor }: { editor: Editor }) {
  const on = useEditorState({
    editor,
    selector: ({ editor: e }) => ({ bold: e.isActive("bold"), italic: e.isActive("italic"), bullets: e.isActive("bulletList"), numbers: e.isActive("orderedList"), level: [1, 2, 3].find((l) => e.isActive("heading", { level: l })) ?? 0 }),
  });
  // Focus comes back at once, not a frame later: the first letter typed after a press must not be lost.
  const chain = () => (editor.view.focus(), editor.chain());
  return (
    <div role="toolbar" aria-label="Text" className="mx-auto mb-3 flex max-w-[46rem] items-center gap-1">
      <select
        className="select select-sm w-36" aria-label="Kind of paragraph" value={on.level}
        onChange={(e) => {
          const level = Number(e.target.value);
          if (level === 0) chain().setParagraph().run();
          else chain().setHeading({ level: level as 1 | 2 | 3 }).run();
        }}
      >
        <option value={0}>Text</option><option value={1}>Title</option><option value={2}>Heading</option><option value={3}>Small heading</option>
      </select>
      <Tool label="Bold" on={on.bold} run={() => chain().toggleBold().run()}><Bold size={16} /></Tool>
      <Tool label="Italic" on={on.italic} run={() => chain().toggleItalic().run()}><Italic size={16} /></Tool>
      <Tool label="List" on={on.bullets} run={() => chain().toggleBulletList().run()}><List size={16} /></Tool>
      <Tool label="Numbered list" on={on.numbers} run={() => chain().toggleOrderedList().run()}><ListOrdered size={16} /></Tool>
    </div>
  );
}

function Tool({ label, on, run, children }: { label: string; on: boolean; run: () => void; children: ReactNode }) {
  return <button type="button" className={`btn btn-sm btn-square ${on ? "btn-neutral" : "btn-ghost"}`} aria-label={label} aria-pressed={on} title={label} onMouseDown={(e) => e.preventDefault()} onClick={run}>{children}</button>;
}
