// The caption: it writes itself; edited, its live parts stay live and its other words are the researcher's.
import { cx } from "../common/classes";
import { mergeAttributes, Node } from "@tiptap/core";
import {
  EditorContent,
  NodeViewWrapper,
  ReactNodeViewRenderer,
  useEditor,
  type JSONContent,
  type NodeViewProps,
} from "@tiptap/react";
import StarterKit from "@tiptap/starter-kit";
import { createContext, use, useEffect, useState } from "react";
import type { S } from "../client/api";
import { dropLocal, readLocal, writeLocal } from "../client/local";
import { Spans } from "../common/spans";
import type { Change } from "./appearance";

const Parts = createContext<Record<string, string>>({});

const LivePart = Node.create({
  name: "live",
  group: "inline",
  inline: true,
  atom: true,
  addAttributes: () => ({ name: { default: "" } }),
  parseHTML: () => [{ tag: "span[data-live]" }],
  renderHTML: ({ HTMLAttributes }) => [
    "span",
    mergeAttributes({ "data-live": "" }, { "data-name": String(HTMLAttributes.name) }),
  ],
  addNodeView: () => ReactNodeViewRenderer(PartView),
});

function PartView({ node }: NodeViewProps) {
  const name = String(node.attrs.name);
  const words = use(Parts)[name];
  return (
    <NodeViewWrapper as="span" className="live-word" data-live={name} title="Renews itself">
      {words ?? "(not drawn now)"}
    </NodeViewWrapper>
  );
}

/** A caption with its live parts in braces, as a text to be edited; and back. */
export function toDoc(template: string): JSONContent {
  const content: JSONContent[] = template
    .split(/(\{\w+\})/)
    .filter(Boolean)
    .map((t) => {
      const name = /^\{(\w+)\}$/.exec(t)?.[1];
      return name ? { type: "live", attrs: { name } } : { type: "text", text: t };
    });
  return { type: "doc", content: [{ type: "paragraph", content }] };
}

export function toTemplate(doc: JSONContent): string {
  return (doc.content ?? [])
    .map((p) =>
      (p.content ?? []).map((n) => (n.type === "live" ? `{${String(n.attrs?.name)}}` : (n.text ?? ""))).join(""),
    )
    .join(" ")
    .trim();
}

export function Caption({ state, change, width }: { state: S["FigureState"]; change: Change; width: number }) {
  const key = `yavik.caption.${state.id}`;
  const [editing, setEditing] = useState(() => readLocal(key) !== null);
  const drawing = state.drawing;
  if (!drawing) return null;
  const close = () => (dropLocal(key), setEditing(false));
  if (editing) {
    const start = readLocal<string>(key) ?? state.figure.caption ?? drawing.template ?? "";
    return (
      <Edit
        start={start}
        parts={drawing.parts ?? {}}
        width={width}
        draft={(t) => writeLocal(key, t)}
        keep={(t) => (change({ caption: t && t !== drawing.template ? t : null }), close())}
        cancel={close}
      />
    );
  }
  return (
    <figcaption
      style={{ maxWidth: width }}
      className="mt-3 font-serif text-[1rem] leading-normal"
      data-testid="caption"
    >
      <Spans spans={drawing.caption} />{" "}
      <button
        type="button"
        className="ml-1 font-sans text-sm font-semibold text-[#6a2a70] hover:underline"
        onClick={() => setEditing(true)}
      >
        Edit caption
      </button>
      {state.figure.caption && (
        <button
          type="button"
          className="ml-3 font-sans text-sm font-semibold text-[#6a2a70] hover:underline"
          onClick={() => change({ caption: null })}
        >
          Let it write itself
        </button>
      )}
    </figcaption>
  );
}

function Edit({
  start,
  parts,
  width,
  draft,
  keep,
  cancel,
}: {
  start: string;
  parts: Record<string, string>;
  width: number;
  draft: (t: string) => void;
  keep: (t: string) => void;
  cancel: () => void;
}) {
  const editor = useEditor({
    extensions: [
      StarterKit.configure({
        heading: false,
        bulletList: false,
        orderedList: false,
        blockquote: false,
        code: false,
        codeBlock: false,
        bold: false,
        italic: false,
        strike: false,
        link: false,
        underline: false,
        horizontalRule: false,
      }),
      LivePart,
    ],
    content: toDoc(start),
    autofocus: "end",
    editorProps: {
      attributes: { "aria-label": "Caption", role: "textbox", "aria-multiline": "true", class: "outline-none" },
    },
    onUpdate: ({ editor: e }) => draft(toTemplate(e.getJSON())),
  });
  useEffect(() => {
    const down = (e: KeyboardEvent) => e.key === "Escape" && cancel();
    document.addEventListener("keydown", down);
    return () => document.removeEventListener("keydown", down);
  });
  const missing = Object.keys(parts).filter(
    (p) => !toTemplate(editor?.getJSON() ?? { type: "doc" }).includes(`{${p}}`),
  );
  return (
    <Parts value={parts}>
      <div style={{ maxWidth: width }} className="mt-3 w-full">
        <div
          className={cx(
            "rounded border border-[#b9b2c2] bg-white p-2 font-serif text-[1rem] leading-normal",
            "text-[#222a3c] focus-within:border-[#6a2a70]",
          )}
        >
          <EditorContent editor={editor} />
        </div>
        {missing.length > 0 && (
          <p className="mt-1 flex flex-wrap gap-x-3 text-sm">
            Put in:{" "}
            {missing.map((p) => (
              <button
                key={p}
                type="button"
                className="text-[#6a2a70] hover:underline"
                title={parts[p]}
                onMouseDown={(e) => e.preventDefault()}
                onClick={() =>
                  editor
                    ?.chain()
                    .focus()
                    .insertContent({ type: "live", attrs: { name: p } })
                    .run()
                }
              >
                {parts[p]!.length > 28 ? `${parts[p]!.slice(0, 27)}…` : parts[p]}
              </button>
            ))}
          </p>
        )}
        <div className="mt-1 flex gap-4 text-sm">
          <button
            type="button"
            className="font-semibold underline"
            onClick={() => editor && keep(toTemplate(editor.getJSON()))}
          >
            Keep
          </button>
          <button type="button" className="underline" onClick={cancel}>
            Cancel
          </button>
          <span className="text-[#5f6677]">Shaded words renew themselves.</span>
        </div>
      </div>
    </Parts>
  );
}
