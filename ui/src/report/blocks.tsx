// Blocks of the text that are not words: page breaks, entries of the list of references, the appendix made for you.
import { mergeAttributes, Node } from "@tiptap/core";
import { NodeViewWrapper, ReactNodeViewRenderer, type NodeViewProps } from "@tiptap/react";
import type { TableBlock } from "../client/api";
import { ResultTable } from "../common/result-table";
import { useEmbed } from "./embeds";

export const PageBreak = Node.create({
  name: "pageBreak",
  group: "block",
  atom: true,
  selectable: true,
  parseHTML: () => [{ tag: "hr[data-page-break]" }],
  renderHTML: ({ HTMLAttributes }) => [
    "hr",
    mergeAttributes({ "data-page-break": "", class: "page-break", title: "Page break" }, HTMLAttributes),
  ],
});

export const Reference = Node.create({
  name: "reference",
  group: "block",
  content: "inline*",
  parseHTML: () => [{ tag: "p[data-reference-entry]", priority: 60 }],
  renderHTML: ({ HTMLAttributes }) => [
    "p",
    mergeAttributes({ "data-reference-entry": "", class: "reference-entry" }, HTMLAttributes),
    0,
  ],
});

export const AppendixNode = Node.create({
  name: "appendix",
  group: "block",
  atom: true,
  selectable: true,
  draggable: true,
  addAttributes: () => ({ uid: { default: "" }, parts: { default: ["preparation", "dictionary", "methods"] } }),
  parseHTML: () => [{ tag: "div[data-appendix]" }],
  renderHTML: ({ HTMLAttributes }) => [
    "div",
    mergeAttributes({ "data-appendix": "" }, { "data-uid": String(HTMLAttributes.uid) }),
  ],
  addNodeView: () => ReactNodeViewRenderer(AppendixView),
});

const PARTS: Record<string, string> = {
  preparation: "How the data were prepared",
  dictionary: "Columns",
  methods: "Methods and their settings",
};

function AppendixView({ node, updateAttributes, deleteNode }: NodeViewProps) {
  const { embed } = useEmbed(String(node.attrs.uid));
  const parts = node.attrs.parts as string[];
  const tables = (embed?.tables ?? []) as unknown as { label: string; title: string; block: TableBlock }[];
  return (
    <NodeViewWrapper>
      <section className="embed" aria-label="Appendix" data-embed="appendix" contentEditable={false}>
        <div className="mb-1 flex flex-wrap items-center gap-x-4 font-sans text-[0.82rem]">
          <span className="font-semibold">Appendix, made from the study</span>
          {Object.entries(PARTS).map(([id, words]) => (
            <label key={id} className="flex cursor-pointer items-center gap-1.5">
              <input
                type="checkbox"
                className="checkbox checkbox-xs checkbox-primary"
                checked={parts.includes(id)}
                onChange={(e) =>
                  updateAttributes({ parts: e.target.checked ? [...parts, id] : parts.filter((p) => p !== id) })
                }
              />
              {words}
            </label>
          ))}
          <span className="flex-1" />
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            aria-label="Take the appendix out"
            onClick={() => deleteNode()}
          >
            ×
          </button>
        </div>
        {tables.slice(0, 4).map((t) => (
          <div key={t.label} className="my-3 max-h-56 overflow-auto text-[0.9rem]">
            <p>
              <b>{t.label}.</b> {t.title}
            </p>
            <ResultTable block={t.block} plain />
          </div>
        ))}
        <p className="muted font-sans text-sm">
          {embed ? "Steps in words, settings and versions stand in the saved file." : "Being placed …"}
        </p>
      </section>
    </NodeViewWrapper>
  );
}
