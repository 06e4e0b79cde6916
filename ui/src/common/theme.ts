import { useSyncExternalStore } from "react";

const listeners = new Set<() => void>();
const media = window.matchMedia("(prefers-color-scheme: dark)");

function current(): string {
  return localStorage.getItem("yavik.theme") ?? (media.matches ? "lamplight" : "daylight");
}

export function applyTheme(): void {
  document.documentElement.dataset.theme = current();
  listeners.forEach((tell) => tell());
}

media.addEventListener("change", applyTheme);

export function useTheme(): { dark: boolean; toggle: () => void } {
  const theme = useSyncExternalStore((tell) => (listeners.add(tell), () => listeners.delete(tell)), current);
  return {
    dark: theme === "lamplight",
    toggle: () => {
      localStorage.setItem("yavik.theme", theme === "lamplight" ? "daylight" : "lamplight");
      applyTheme();
    },
  };
}
