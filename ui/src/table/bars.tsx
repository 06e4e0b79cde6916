import type { S } from "../client/api";
import { count, grouped } from "../common/bits";

/** A column's small distribution. The words beside it carry the same facts, so it is hidden from readers. */
export function Bars({ profile, width, height }: { profile: S["Profile"]; width: number; height: number }) {
  const bars = profile.bars ?? [];
  if (bars.length === 0) return <div style={{ height }} aria-hidden="true" />;
  const top = Math.max(1, ...bars);
  const room = Math.min(width / bars.length, 30);
  return (
    <svg width={width} height={height} aria-hidden="true" className="text-secondary block">
      {bars.map((n, i) => {
        const h = n === 0 ? 0 : Math.max(1.5, (n / top) * height);
        return (
          <rect
            key={i}
            x={i * room}
            y={height - h}
            width={Math.max(1, room - 1)}
            height={h}
            fill="currentColor"
            opacity={0.78}
          />
        );
      })}
    </svg>
  );
}

export function rangeWords(column: S["Column"], profile: S["Profile"]): string {
  const empty = profile.empty ? `, ${grouped(profile.empty)} empty` : "";
  if (profile.infinite) return `${grouped(profile.infinite)} infinite${empty}`;
  if (profile.filled === 0) return "all empty";
  if (profile.low !== null && profile.low !== undefined) {
    const unit = column.unit ? ` ${column.unit}` : "";
    return `${show(profile.low, column)} to ${show(profile.high ?? 0, column)}${unit}${empty}`;
  }
  if (profile.first) return `${profile.first} to ${profile.last}${empty}`;
  if (column.levels?.length) return `${count(profile.distinct ?? 0, "level")}${empty}`;
  return `${grouped(profile.distinct ?? 0)} different${empty}`;
}

function superscript(digits: string): string {
  return digits.replace(/\D/g, "").replace(/\d/g, (d) => "⁰¹²³⁴⁵⁶⁷⁸⁹"[Number(d)] ?? d);
}

/** A value with the digits its column is written with, as everywhere: all of them up to 10¹⁵. */
export function show(value: number, column: S["Column"], more = 0): string {
  const places = Math.min(6, (column.decimals ?? 0) + more);
  const size = Math.abs(value);
  if (size >= 1e15 || (size > 0 && size < 0.5 * 10 ** -places)) {
    const [digits = "", power = ""] = value.toExponential(3).split("e");
    return `${digits} × 10${Number(power) < 0 ? "⁻" : ""}${superscript(power)}`.replace("-", "−");
  }
  const text = value.toLocaleString("en", {
    minimumFractionDigits: places,
    maximumFractionDigits: places,
    useGrouping: size >= 10_000,
  });
  return text.replace(/,/g, "\u2009").replace("-", "−");
}
