// Vega-Lite made on the server, shown here. Expressions run in an interpreter, so no code is ever evaluated.
import { useEffect, useRef, useState } from "react";
import type { View } from "vega";
import { useTheme } from "./theme";

const DARK: Record<string, string> = {
  "#2a3142": "#dfdee8",
  "#e3e3ea": "#3b3b47",
  "#7a3e8e": "#c58ad6",
  "#2a8194": "#5cb4c6",
  "#c8871b": "#e0ad55",
  "#4d7fc4": "#86aee6",
  "#b1493f": "#e08a80",
};

/** The same drawing in the dark theme's ink. Figures on paper (figure page, report) stay as they print. */
function inDark(text: string): string {
  return text.replace(/#[0-9a-f]{6}/g, (c) => DARK[c] ?? c);
}

/** The page's own face is the variable one; the server's pictures use the same drawn at fixed weights. */
const FACE = "Commissioner Variable";
const SERIF = "STIX Two Text Variable";

/** A drawing of one view as it stands on the page: from its data to pixels and back, and the width of a letter. */
export type Drawn = {
  pixel: (x: number, y: number) => [number, number];
  data: (left: number, top: number) => [number, number];
  letter: number;
  /** Where its axes lie, in pixels. */
  plot: () => { left: number; top: number; width: number; height: number };
};
type Scale = ((v: number) => number) & { invert?: (v: number) => number | Date };

/** Once what stands around the picture is on the screen: sentences are read first, and drawing takes longer. In a tab
 * that is not looked at nothing is painted, so that is not waited for long. */
function painted(): Promise<void> {
  return new Promise((done) => {
    const late = setTimeout(done, 200);
    requestAnimationFrame(() => (clearTimeout(late), setTimeout(done)));
  });
}

export function Picture({
  vega,
  alt,
  paper,
  zoom = 1,
  clicked,
  onDrawn,
}: {
  vega: object;
  alt: string;
  paper?: boolean;
  zoom?: number;
  /** A click on something drawn, told what it stands for. */
  clicked?: (datum: Record<string, unknown>) => void;
  onDrawn?: (drawn: Drawn | null) => void;
}) {
  const click = useRef(clicked);
  const tell = useRef(onDrawn);
  useEffect(() => {
    click.current = clicked;
    tell.current = onDrawn;
  });
  const place = useRef<HTMLDivElement>(null);
  // Of this very drawing: the next one is tried again.
  const [failed, setFailed] = useState<{ of: object; why: string } | null>(null);
  const { dark } = useTheme();
  useEffect(() => {
    let gone = false;
    let view: { finalize: () => void } | undefined;
    void import("vega-embed")
      .then(async ({ default: embed }) => {
        if (gone || !place.current) return;
        await Promise.all(
          [FACE, SERIF].flatMap((face) =>
            [400, 600, 700].map((weight) => document.fonts.load(`${weight} 12px "${face}"`)),
          ),
        );
        await painted();
        if (gone || !place.current) return;
        const text = JSON.stringify(vega)
          .replaceAll('"Commissioner"', `"${FACE}"`)
          .replaceAll('"STIX Two Text"', `"${SERIF}"`);
        const spec = JSON.parse(dark && !paper ? inDark(text) : text) as object;
        const made = await embed(place.current, spec as never, {
          actions: false,
          renderer: "svg",
          ast: true,
          tooltip: { theme: dark && !paper ? "dark" : "light" },
        });
        view = made;
        made.view.addEventListener("click", (_event, item) => {
          const datum = item?.datum as Record<string, unknown> | undefined;
          if (datum) click.current?.(datum);
        });
        if (gone) made.finalize();
        const svg = place.current?.querySelector("svg");
        if (svg) {
          svg.setAttribute("aria-hidden", "true");
          svg.style.maxWidth = "100%";
          svg.style.height = "auto";
          if (zoom !== 1) svg.style.width = `${svg.viewBox.baseVal.width * zoom}px`;
          tell.current?.(drawnOf(made.view, svg, vega));
        }
      })
      .catch((error: Error) => setFailed({ of: vega, why: error.message }));
    return () => {
      gone = true;
      view?.finalize();
    };
  }, [vega, dark, paper, zoom]);
  if (failed?.of === vega) return <p className="text-error text-sm">The figure cannot be shown: {failed.why}</p>;
  return (
    <div role="img" aria-label={alt} className={paper ? "bg-white" : ""}>
      {/* Room is kept beforehand, so that nothing below jumps when the figure is there. */}
      <div
        ref={place}
        className="w-full"
        style={{ minHeight: (Number((vega as { height?: unknown }).height) || 0) * Math.min(zoom, 1) }}
      />
    </div>
  );
}

function drawnOf(view: View, svg: SVGSVGElement, vega: object): Drawn | null {
  let x: Scale, y: Scale;
  try {
    [x, y] = [view.scale("x") as Scale, view.scale("y") as Scale];
  } catch {
    return null; // several views have no one pair of axes
  }
  if (!x?.invert || !y?.invert) return null;
  const around = view.padding();
  const [beside, above] = typeof around === "number" ? [around, around] : [around.left ?? 0, around.top ?? 0];
  const [left, top] = [beside + (view.origin()[0] ?? 0), above + (view.origin()[1] ?? 0)];
  const factor = () => svg.getBoundingClientRect().width / svg.viewBox.baseVal.width || 1;
  const size = (vega as { config?: { text?: { fontSize?: number } } }).config?.text?.fontSize ?? 11;
  return {
    pixel: (a, b) => [(left + x(a)) * factor(), (top + y(b)) * factor()],
    data: (a, b) => [Number(x.invert!(a / factor() - left)), Number(y.invert!(b / factor() - top))],
    letter: size * 0.55 * factor(),
    plot: () => ({
      left: left * factor(),
      top: top * factor(),
      width: Number(view.signal("width")) * factor(),
      height: Number(view.signal("height")) * factor(),
    }),
  };
}
