// Words that wait to be saved, kept in this browser by the window they were written in. What a window leaves behind
// when it is closed is found by the next one that opens the same entry.

import { dropLocal, readLocal, writeLocal } from "./local";

export type Draft<T> = { doc: T; revision: number };

/** Told apart from other windows; a window that is reloaded is a new one. */
const window_ = Math.random().toString(36).slice(2, 10);

/** Not there where the page came over a network without encryption. */
const locks = () => (navigator as Partial<Navigator>).locks;

/** Held for as long as the window is there: what belongs to nobody can be taken over. */
let held = false;
function hold(): void {
  if (held || !locks()) return;
  held = true;
  void locks()!.request(`yavik.${window_}`, () => new Promise<void>(() => undefined));
}

const prefix = (entry: string) => `yavik.draft.${entry}.`;

export function keepDraft<T>(entry: string, draft: Draft<T>): void {
  hold();
  writeLocal(prefix(entry) + window_, draft);
}

export function draftOf<T>(entry: string): Draft<T> | null {
  return readLocal<Draft<T>>(prefix(entry) + window_);
}

export function dropDraft(entry: string): void {
  dropLocal(prefix(entry) + window_);
}

/** The keys of drafts of an entry whose window is no longer there. */
export function ofNobody(keys: string[], entry: string, windows: string[]): string[] {
  const there = new Set(windows.map((name) => prefix(entry) + name.replace("yavik.", "")));
  return keys.filter((k) => (k.startsWith(prefix(entry)) && !there.has(k)) || k === `yavik.report.${entry}`);
}

/** Drafts that closed windows left behind, or this one when it turned to another page; to be saved now. */
export async function leftBehind<T>(entry: string): Promise<{ draft: Draft<T>; done: () => void }[]> {
  hold();
  const there = await locks()?.query();
  const windows = (there?.held ?? []).map((l) => l.name ?? "").filter((name) => name !== `yavik.${window_}`);
  return ofNobody(Object.keys(localStorage), entry, windows).map((key) => ({
    draft: read<T>(localStorage.getItem(key)),
    done: () => dropLocal(key),
  }));
}

/** Drafts of an earlier version name no revision: nobody knows what they were written on, so both are shown. */
export function read<T>(text: string | null): Draft<T> {
  const found = JSON.parse(text ?? "null") as Draft<T> | T;
  return found && typeof found === "object" && "doc" in found ? found : { doc: found, revision: 0 };
}
