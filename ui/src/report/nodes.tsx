// Live answers and figures as nodes of the text: moved by dragging or by their buttons, never retyped.
import { mergeAttributes, Node, type Editor } from "@tiptap/core";
import { NodeViewWrapper, ReactNodeViewRenderer, type NodeViewProps } from "@tiptap/react";
import { useState } from "react";
import { Link } from "react-router";
import type { S, Span, TableBlock } from "../client/api";
import { Picture } from "../common/picture";
import { ResultTable } from "../common/result-table";
import { Spans } from "../common/spans";
import { useEmbed } from "./embeds";

type Fig = { number: number; vega: object; caption: Span[]; alt: string; width_mm: number };

function make(name: "answer" | "figure", ref: "question" | "figure") {
  return Node.create({
    name,
    group: "block",
    atom: true,
    draggable: true,
    selectable: true,
    addAttributes: () => ({
      uid: { default: "" },
      [ref]: { default: "" },
      ...(name === "answer"
        ? { parts: { default: ["headline"] }, captions: { default: {} }, said: { default: null } }
        : {}),
    }),
    parseHTML: () => [{ tag: `div[data-${name}]` }],
    renderHTML: ({ HTMLAttributes }) => [
      "div",
      mergeAttributes({ [`data-${name}`]: "" }, { "data-uid": String(HTMLAttributes.uid) }),
    ],
    addNodeView: () => ReactNodeViewRenderer(EmbedView),
  });
}

export const AnswerNode = make("answer", "question");
export const FigureNode = make("figure", "figure");

/** Moves a block past its neighbour: the way by keyboard beside dragging. */
function moveNode(editor: Editor, from: number, way: -1 | 1): void {
  const { doc, tr } = editor.state;
  const place = doc.resolve(from);
  const index = place.index(0);
  const other = index + way;
  if (other < 0 || other >= doc.childCount) return;
  const node = doc.child(index);
  const neighbour = doc.child(other);
  tr.delete(from, from + node.nodeSize);
  tr.insert(way < 0 ? from - neighbour.nodeSize : from + neighbour.nodeSize, node);
  editor.view.dispatch(tr);
}

function EmbedView({ node, editor, getPos, updateAttributes, deleteNode }: NodeViewProps) {
  const uid = String(node.attrs.uid);
  const { embed, study } = useEmbed(uid);
  const [choosing, setChoosing] = useState(false);
  const at = () => (typeof getPos === "function" ? (getPos() ?? 0) : 0);
  const parts = (node.attrs.parts as string[] | undefined) ?? [];
  const type = node.type.name === "answer" ? "q" : "f";
  return (
    <NodeViewWrapper>
      <section
        className="embed relative"
        aria-label={embed ? `${embed.kind === "answer" ? "Answer" : "Figure"}: ${embed.name}` : "Being placed"}
        data-embed={node.type.name}
      >
        <div contentEditable={false} className="mb-1 flex flex-wrap items-center gap-x-3 font-sans text-[0.82rem]">
          <span data-drag-handle className="muted cursor-grab select-none" title="Drag to move" aria-hidden="true">
            ⠿
          </span>
          <Link className="link-quiet" to={`/s/${study}/${type}/${embed?.ref ?? ""}`}>
            {embed?.name ?? "…"}
          </Link>
          {embed?.out_of_date && <span className="badge badge-sm badge-warning">out of date</span>}
          <span className="flex-1" />
          {embed && embed.parts && embed.parts.length > 0 && (
            <button
              type="button"
              className="link-quiet !font-normal"
              aria-expanded={choosing}
              onClick={() => setChoosing(!choosing)}
            >
              Choose parts
            </button>
          )}
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            aria-label={`Move ${embed?.name ?? "it"} up`}
            onClick={() => moveNode(editor, at(), -1)}
          >
            ↑
          </button>
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            aria-label={`Move ${embed?.name ?? "it"} down`}
            onClick={() => moveNode(editor, at(), 1)}
          >
            ↓
          </button>
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            aria-label={`Take ${embed?.name ?? "it"} out`}
            onClick={() => deleteNode()}
          >
            ×
          </button>
        </div>
        {choosing && embed && (
          <PartList
            embed={embed}
            parts={parts}
            set={(next) => updateAttributes({ parts: next })}
            captions={(node.attrs.captions as Record<string, string> | undefined) ?? {}}
            setCaptions={(next) => updateAttributes({ captions: next })}
          />
        )}
        {embed ? <EmbedBody embed={embed} /> : <p className="muted">Being placed …</p>}
      </section>
    </NodeViewWrapper>
  );
}

type PartProps = {
  embed: S["EmbedOut"];
  parts: string[];
  set: (parts: string[]) => void;
  captions: Record<string, string>;
  setCaptions: (captions: Record<string, string>) => void;
};

function PartList({ embed, parts, set, captions, setCaptions }: PartProps) {
  const captioned = embed.parts?.filter((p) => p.id !== "headline" && parts.includes(p.id ?? "")) ?? [];
  return (
    <fieldset
      contentEditable={false}
      className="bg-base-200 mb-2 grid grid-cols-2 gap-x-4 rounded-md p-3 font-sans text-sm"
    >
      <legend className="sr-only">Parts of {embed.name}</legend>
      {embed.parts?.map((p) => (
        <label key={p.id} className="flex cursor-pointer items-center gap-2 py-0.5">
          <input
            type="checkbox"
            className="checkbox checkbox-xs checkbox-primary"
            checked={parts.includes(p.id ?? "")}
            onChange={(e) => set(e.target.checked ? [...parts, p.id ?? ""] : parts.filter((x) => x !== p.id))}
          />
          {p.title}
        </label>
      ))}
      {captioned.map((p) => (
        <label key={p.id} className="field col-span-2 mt-1 block">
          <span>Caption of “{p.title}”</span>
          <input
            className="input input-xs w-full"
            defaultValue={captions[p.id ?? ""] ?? ""}
            placeholder="as the answer has it"
            onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && e.currentTarget.blur())}
            onBlur={(e) =>
              e.target.value !== (captions[p.id ?? ""] ?? "") &&
              setCaptions({ ...captions, [p.id ?? ""]: e.target.value.trim() })
            }
          />
        </label>
      ))}
    </fieldset>
  );
}

function EmbedBody({ embed }: { embed: S["EmbedOut"] }) {
  const figures = (embed.figures ?? []) as unknown as Fig[];
  const tables = (embed.tables ?? []) as unknown as { number: number; title: string; block: TableBlock }[];
  return (
    <div contentEditable={false}>
      {embed.problem && <p className="text-error font-sans text-sm">{embed.problem}</p>}
      {embed.headline && (
        <p>
          <Spans spans={embed.headline} />
        </p>
      )}
      {tables.map((t) => (
        <div key={t.number} className="my-3 text-[0.95rem]">
          <ResultTable block={{ ...t.block, title: t.title }} number={t.number} />
        </div>
      ))}
      {figures.map((f) => (
        <figure key={f.number} className="my-3">
          <div style={{ maxWidth: f.width_mm * 4.6 }}>
            <Picture vega={f.vega} alt={f.alt} zoom={1.2} />
          </div>
          <figcaption className="text-[0.95rem] leading-snug">
            <b>Figure {f.number}.</b> <Spans spans={f.caption} />
          </figcaption>
        </figure>
      ))}
    </div>
  );
}
