// Two windows on one entry: what each changed is put together by the server; where both changed the same place, both
// are shown, and neither is lost.
import { useSyncExternalStore } from "react";
import { Problem } from "./api";

export type Place = { path: (string | number)[]; base: unknown; theirs: unknown; mine: unknown };
export type Meant = { "if-match": string; keep?: "mine" };
export type Words = { label?: (place: Place) => string; keepBoth?: { label: string; run: () => Promise<unknown> } };
export type Open = {
  name: string;
  places: Place[];
  words: Words;
  answer: (choice: "mine" | "theirs" | "both") => void;
};

/** Which revision the next change is meant for, once one change has been kept as `next`: a step of one is our own
 * change alone; a longer one holds somebody else's too, which what is still waiting to be sent was not made on. */
export function follow(seen: number, next: number, last: boolean): number {
  return last || next <= seen + 1 ? next : seen;
}

export function meant(revision: number, keep?: "mine"): { header: Meant } {
  return { header: { "if-match": `"${revision}"`, ...(keep ? { keep } : {}) } };
}

let open: Open | null = null;
const listeners = new Set<() => void>();

function show(next: Open | null): void {
  open = next;
  listeners.forEach((tell) => tell());
}

export function useOpenConflict(): Open | null {
  return useSyncExternalStore(
    (tell) => (listeners.add(tell), () => listeners.delete(tell)),
    () => open,
  );
}

/** Sends a change; where another window changed the same place, asks which to keep. Null where theirs is kept. */
export async function together<T>(
  send: (headers: { header: Meant }) => Promise<T>,
  seen: number,
  name: string,
  words: Words = {},
): Promise<T | null> {
  try {
    return await send(meant(seen));
  } catch (e) {
    if (!(e instanceof Problem) || e.status !== 409 || !e.places) throw e;
    const places = e.places;
    const choice = await new Promise<"mine" | "theirs" | "both">((answer) => show({ name, places, words, answer }));
    show(null);
    if (choice === "mine") return send(meant(seen, "mine"));
    if (choice === "both") await words.keepBoth?.run();
    return null;
  }
}
