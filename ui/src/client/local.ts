// What this browser keeps by itself: widths, drafts, what is folded. It may be full, switched off, or hold what an
// earlier version wrote: then the page goes on without it, for as long as it is open.
const beside = new Map<string, string>();

export function readLocal<T>(key: string): T | null {
  try {
    return JSON.parse(beside.get(key) ?? localStorage.getItem(key) ?? "null") as T | null;
  } catch {
    return null;
  }
}

export function writeLocal(key: string, value: unknown): void {
  const text = JSON.stringify(value);
  try {
    localStorage.setItem(key, text);
    beside.delete(key);
  } catch {
    beside.set(key, text);
  }
}

export function dropLocal(key: string): void {
  beside.delete(key);
  localStorage.removeItem(key);
}
