// Scrolling through more rows than a browser can lay out: beyond a height the scroll bar is scaled, and the wheel
// moves in true pixels.
import { useCallback, useEffect, useRef, useState } from "react";

const MOST = 8_000_000;

export function useScaledScroll(area: React.RefObject<HTMLDivElement | null>, full: number, view: number) {
  const height = Math.min(full, MOST);
  const ratio = full > height ? (full - view) / (height - view) : 1;
  const [top, setTop] = useState(0);
  const ours = useRef<number | null>(null);
  const toTop = useCallback(
    (wanted: number) => {
      const next = Math.max(0, Math.min(full - view, wanted));
      setTop(next);
      const box = area.current;
      if (!box) return;
      box.scrollTop = next / ratio;
      ours.current = box.scrollTop;
    },
    [area, full, view, ratio],
  );
  const sync = useCallback(() => {
    const now = area.current?.scrollTop ?? 0;
    if (ours.current !== null && Math.abs(now - ours.current) < 1) return;
    ours.current = null;
    setTop(now * ratio);
  }, [area, ratio]);
  useEffect(() => {
    const box = area.current;
    if (!box || ratio === 1) return;
    const wheel = (e: WheelEvent) => {
      if (e.ctrlKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) return;
      e.preventDefault();
      setTop((t) => {
        const next = Math.max(0, Math.min(full - view, t + e.deltaY * (e.deltaMode === 1 ? 29 : 1)));
        box.scrollTop = next / ratio;
        ours.current = box.scrollTop;
        return next;
      });
    };
    box.addEventListener("wheel", wheel, { passive: false });
    return () => box.removeEventListener("wheel", wheel);
  }, [area, ratio, full, view]);
  return { top, height, sync, toTop };
}
