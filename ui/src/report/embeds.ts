import { createContext, use } from "react";
import type { S } from "../client/api";

type Here = { embeds: S["EmbedOut"][]; live: S["LiveOut"][]; targets: S["TargetOut"][]; study: string };

export const EmbedsContext = createContext<Here>({ embeds: [], live: [], targets: [], study: "" });

export function useEmbed(uid: string): { embed: S["EmbedOut"] | undefined; study: string } {
  const { embeds, study } = use(EmbedsContext);
  return { embed: embeds.find((e) => e.uid === uid), study };
}

export function newUid(): string {
  return Math.random().toString(16).slice(2, 10).padEnd(8, "0");
}
