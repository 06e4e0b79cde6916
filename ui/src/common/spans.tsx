import type { Span } from "../client/api";

/** A statement's runs; nothing in it is ever taken as HTML. */
export function Spans({ spans }: { spans: Span[] }) {
  return (
    <>
      {spans.map((s, i) => {
        if (s.style === "italic") return <i key={i}>{s.t}</i>;
        if (s.style === "bold") return <b key={i}>{s.t}</b>;
        if (s.style === "sub") return <sub key={i}>{s.t}</sub>;
        return <span key={i}>{s.t}</span>;
      })}
    </>
  );
}

/** A step's title: **bold** names and `code` from our own server, as runs. */
export function Marked({ text }: { text: string }) {
  const parts = text.split(/(\*\*[^*]+\*\*|`[^`]+`)/);
  return (
    <>
      {parts.map((p, i) => {
        if (p.startsWith("**") && p.endsWith("**")) return <b key={i}>{p.slice(2, -2)}</b>;
        if (p.startsWith("`") && p.endsWith("`"))
          return (
            <code key={i} className="font-mono text-[0.8rem]">
              {p.slice(1, -1)}
            </code>
          );
        return <span key={i}>{p}</span>;
      })}
    </>
  );
}
