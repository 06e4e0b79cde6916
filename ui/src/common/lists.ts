/** A field that holds one name or several, as a list. */
export function asList(value: unknown): string[] {
  if (Array.isArray(value)) return value as string[];
  return typeof value === "string" && value !== "" ? [value] : [];
}

/** Texts by name with one of them changed, or taken out where it is empty. */
export function withText(texts: unknown, name: string, text: string): Record<string, string> {
  const rest = Object.fromEntries(
    Object.entries((texts as Record<string, string> | null) ?? {}).filter(([n]) => n !== name),
  );
  return text.trim() ? { ...rest, [name]: text.trim() } : rest;
}
