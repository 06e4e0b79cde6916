// What stands inside sentences: live words of answers, references to tables and figures, footnotes; and two marks.
import { Mark, mergeAttributes, Node } from "@tiptap/core";
import { NodeViewWrapper, ReactNodeViewRenderer, type NodeViewProps } from "@tiptap/react";
import { use, useState } from "react";
import { Link } from "react-router";
import { Pop } from "../common/pop";
import { Spans } from "../common/spans";
import { EmbedsContext } from "./embeds";

function inline(name: string, attributes: Record<string, unknown>, view: (props: NodeViewProps) => React.ReactNode) {
  return Node.create({
    name,
    group: "inline",
    inline: true,
    atom: true,
    selectable: true,
    addAttributes: () =>
      Object.fromEntries(
        Object.entries(attributes).map(([k, v]) => [
          k,
          {
            default: v,
            parseHTML: (el: HTMLElement) => JSON.parse(el.getAttribute(`data-${k}`) ?? "null") as unknown,
            renderHTML: (a: Record<string, unknown>) => ({ [`data-${k}`]: JSON.stringify(a[k]) }),
          },
        ]),
      ),
    parseHTML: () => [{ tag: `span[data-inline="${name}"]` }],
    renderHTML: ({ HTMLAttributes }) => ["span", mergeAttributes({ "data-inline": name }, HTMLAttributes)],
    addNodeView: () => ReactNodeViewRenderer(view as never),
  });
}

function mark(name: string, tag: string, key: string) {
  return Mark.create({
    name,
    excludes: name === "superscript" ? "subscript" : "superscript",
    parseHTML: () => [{ tag }],
    renderHTML: ({ HTMLAttributes }) => [tag, HTMLAttributes, 0],
    addKeyboardShortcuts() {
      return { [key]: () => this.editor.commands.toggleMark(name) };
    },
  });
}

export const Superscript = mark("superscript", "sup", "Mod-.");
export const Subscript = mark("subscript", "sub", "Mod-,");

export const LiveNode = inline("live", { uid: "", question: "", key: "", said: "", holds: null }, LiveView);
export const CrossReference = inline("crossReference", { target: "", part: "" }, ReferenceView);
export const FootnoteNode = inline("footnote", { text: "" }, FootnoteView);
export const INLINE = [Superscript, Subscript, LiveNode, CrossReference, FootnoteNode];

function LiveView({ node, editor, getPos }: NodeViewProps) {
  const { live, study } = use(EmbedsContext);
  const [open, setOpen] = useState(false);
  const word = live.find((w) => w.uid === node.attrs.uid);
  const said = String(node.attrs.said);
  const changed = word && (word.missing || word.flipped || word.text !== word.said);
  const asText = () => {
    const at = getPos();
    if (at === undefined) return;
    const content = (word?.spans ?? [{ t: said, style: "plain" as const }]).map((s) => ({
      type: "text",
      text: s.t,
      ...(MARKS[s.style ?? "plain"] ? { marks: [{ type: MARKS[s.style ?? "plain"] }] } : {}),
    }));
    editor
      .chain()
      .focus()
      .insertContentAt({ from: at, to: at + node.nodeSize }, content)
      .run();
  };
  return (
    <NodeViewWrapper as="span" className="relative">
      <Pop
        open={open}
        set={setOpen}
        label="Live word"
        className="w-72 p-3 font-sans text-sm leading-snug"
        trigger={
          // A button would not break at the end of a line.
          <span
            role="button"
            tabIndex={0}
            contentEditable={false}
            className={`live-word cursor-pointer ${changed ? "changed" : ""}`}
            data-live={String(node.attrs.key)}
            title={word ? `${word.name}: renews itself` : "Being placed"}
            onKeyDown={(e) => (e.key === "Enter" || e.key === " ") && (e.preventDefault(), setOpen(!open))}
          >
            {word ? <Spans spans={word.spans} /> : said || "…"}
          </span>
        }
      >
        {word?.missing ? (
          <span className="block">The answer no longer has this; these are the words it had.</span>
        ) : (
          <span className="block">
            From{" "}
            <Link className="link-quiet" to={`/s/${study}/q/${word?.ref ?? ""}`}>
              {word?.name}
            </Link>
            ; renews itself.
          </span>
        )}
        {word && word.text !== word.said && (
          <span className="mt-1 block">
            <span className="muted">was</span> {word.said}
            <br />
            <span className="muted">is now</span> {word.text}
          </span>
        )}
        {word?.flipped && (
          <span className="mt-1 block">
            The evidence has changed sides since the sentence was written: read it again.
          </span>
        )}
        <button type="button" className="link-quiet mt-2 block" onClick={asText}>
          Make it plain text
        </button>
      </Pop>
    </NodeViewWrapper>
  );
}

const MARKS: Record<string, string> = { italic: "italic", bold: "bold", sub: "subscript", sup: "superscript" };

function ReferenceView({ node }: NodeViewProps) {
  const { targets } = use(EmbedsContext);
  const found = targets.find((t) => t.uid === node.attrs.target && (!node.attrs.part || t.part === node.attrs.part));
  return (
    <NodeViewWrapper
      as="span"
      className={`live-word ${found ? "" : "changed"}`}
      data-reference
      title={found ? `${found.label}. ${found.title}` : "What it points to is not in the report"}
    >
      {found?.label?.replace(" ", "\u00a0") ?? "(gone)"}
    </NodeViewWrapper>
  );
}

function FootnoteView({ node, editor, getPos, updateAttributes }: NodeViewProps) {
  const [open, setOpen] = useState(String(node.attrs.text) === "");
  let number = 1;
  const at = getPos() ?? 0;
  editor.state.doc.descendants((n, pos) => {
    if (n.type.name === "footnote" && pos < at) number += 1;
  });
  return (
    <NodeViewWrapper as="span" className="relative">
      <Pop
        open={open}
        set={setOpen}
        label={`Footnote ${number}`}
        className="w-80 p-3 font-sans text-sm"
        trigger={
          <button
            type="button"
            contentEditable={false}
            className="live-word align-super !text-[0.7em]"
            aria-label={`Footnote ${number}`}
            title={String(node.attrs.text)}
          >
            {number}
          </button>
        }
      >
        <textarea
          className="textarea textarea-sm w-full"
          rows={3}
          aria-label="Words of the footnote"
          autoFocus
          value={String(node.attrs.text)}
          onChange={(e) => updateAttributes({ text: e.target.value })}
        />
      </Pop>
    </NodeViewWrapper>
  );
}
