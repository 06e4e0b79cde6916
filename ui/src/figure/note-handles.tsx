// Handles over the notes of a figure: dragged, or moved by arrow keys; kept in the data's own coordinates.
import { cx } from "../common/classes";
import { useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Figure } from "../client/api";
import type { Drawn } from "../common/picture";

type Note = NonNullable<Figure["notes"]>[number];
type End = "text" | "tip";

export function NoteHandles({ notes, drawn, set }: { notes: Note[]; drawn: Drawn; set: (notes: Note[]) => void }) {
  const [drag, setDrag] = useState<{ i: number; end: End; x: number; y: number } | null>(null);
  const at = (x: number, y: number) => drawn.pixel(x, y);
  const put = (i: number, end: End, x: number, y: number) => {
    const [dx, dy] = drawn.data(x, y);
    if (!Number.isFinite(dx) || !Number.isFinite(dy)) return;
    const near = { x: Number(dx.toPrecision(13)), y: Number(dy.toPrecision(13)) };
    set(notes.map((n, k) => (k !== i ? n : end === "text" ? { ...n, ...near } : { ...n, to_x: near.x, to_y: near.y })));
  };
  const handle = (i: number, end: End, x: number, y: number, note: Note) => {
    const held = drag?.i === i && drag.end === end ? drag : null;
    const [left, top] = held ? [held.x, held.y] : at(x, y);
    const lines = (note.text || " ").split("\n");
    const size =
      end === "tip"
        ? { width: 18, height: 18 }
        : {
            width: Math.max(...lines.map((l) => l.length)) * drawn.letter + 12,
            height: lines.length * drawn.letter * 2.2 + 8,
          };
    const move = (e: PointerEvent<HTMLButtonElement>) => {
      if (!held) return;
      const box = e.currentTarget.parentElement!.getBoundingClientRect();
      setDrag({ i, end, x: e.clientX - box.left, y: e.clientY - box.top });
    };
    const key = (e: KeyboardEvent) => {
      const by = e.shiftKey ? 10 : 2;
      const step = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[e.key];
      if (step) {
        e.preventDefault();
        put(i, end, left + step[0]!, top + step[1]!);
      }
      if (e.key === "Delete" || e.key === "Backspace")
        set(
          end === "tip"
            ? notes.map((n, k) => (k === i ? { ...n, to_x: null, to_y: null } : n))
            : notes.filter((_, k) => k !== i),
        );
    };
    return (
      <button
        key={`${i}${end}`}
        type="button"
        className={cx(
          "absolute cursor-grab touch-none rounded border border-dashed",
          held
            ? "border-[#6a2a70] bg-[#6a2a70]/10"
            : "border-transparent hover:border-[#6a2a70]/60 focus-visible:border-[#6a2a70]",
        )}
        aria-label={end === "tip" ? `Tip of the arrow of ${note.text || "a note"}` : `Note: ${note.text || "empty"}`}
        style={{ left: left - size.width / 2, top: end === "tip" ? top - size.height / 2 : top - size.height, ...size }}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          setDrag({ i, end, x: left, y: top });
        }}
        onPointerMove={move}
        onPointerUp={(e) => {
          if (!held) return;
          e.currentTarget.releasePointerCapture(e.pointerId);
          setDrag(null);
          put(i, end, held.x, held.y);
        }}
        onKeyDown={key}
      />
    );
  };
  return (
    <>
      {notes.flatMap((n, i) => [
        handle(i, "text", n.x, n.y, n),
        ...(n.to_x != null && n.to_y != null ? [handle(i, "tip", n.to_x, n.to_y, n)] : []),
      ])}
    </>
  );
}
