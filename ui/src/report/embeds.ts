import { createContext, use } from "react";
import type { S } from "../client/api";

export const EmbedsContext = createContext<{ embeds: S["EmbedOut"][]; study: string }>({ embeds: [], study: "" });

export function useEmbed(uid: string): { embed: S["EmbedOut"] | undefined; study: string } {
  const { embeds, study } = use(EmbedsContext);
  return { embed: embeds.find((e) => e.uid === uid), study };
}

export function newUid(): string {
  return Math.random().toString(16).slice(2, 10).padEnd(8, "0");
}
