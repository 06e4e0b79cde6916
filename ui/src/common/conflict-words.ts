// Values of a description, as they are shown to be chosen from.

/** Where something stands, from its place in a description. */
export function placeWords(path: (string | number)[]): string {
  if (path[0] === "doc") {
    const block = path.find((p) => typeof p === "number");
    return block === undefined ? "The text" : `Paragraph ${block + 1}`;
  }
  if (path[0] === "steps") return typeof path[1] === "number" ? `Step ${path[1] + 1}` : "The path";
  const names = path.filter((p): p is string => typeof p === "string" && !["spec", "figure", "look"].includes(p));
  return names.map((n) => n.replaceAll("_", " ")).join(", ") || "All of it";
}

/** A value in words: a text as it reads, anything else as it is kept. */
export function said(value: unknown): string {
  if (value === null || value === undefined || value === "") return "nothing";
  if (typeof value === "string") return value;
  if (typeof value === "number") return String(value);
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (Array.isArray(value)) {
    const lines = value.map(said);
    return value.some((v) => typeof v === "object") ? lines.join("\n") : lines.join(", ");
  }
  const node = value as { type?: string; text?: string; content?: unknown[]; doc?: unknown };
  if (node.doc) return said(node.doc);
  if (typeof node.text === "string") return node.text;
  if (Array.isArray(node.content)) return node.content.map(said).join(node.type === "doc" ? "\n" : "");
  if (typeof node.type === "string") return `[${node.type}]`;
  return Object.entries(value)
    .filter(([k, v]) => k !== "id" && v !== null)
    .map(([k, v]) => `${k.replaceAll("_", " ")}: ${said(v)}`)
    .join("; ");
}
