// Orders of models as they are typed and shown: (1, 1, 0), or with a season (0, 1, 1, 12).

/** Numbers of one order from what was typed, such as "1,1,0", "(1 1 0)" or "110" for three of one digit. */
export function orderOf(text: string, size: number): number[] | null {
  const parts = text.match(/\d+/g) ?? [];
  const digits = parts.length === 1 && parts[0]!.length === size ? [...parts[0]!] : parts;
  return digits.length === size ? digits.map(Number) : null;
}

/** Several orders from one text, each in brackets or all numbers in a row; null where some number is left over. */
export function ordersOf(text: string, size: number): number[][] | null {
  const bracketed = text.match(/\([^()]*\)|\[[^[\]]*\]/g);
  const pieces = bracketed ?? text.split(/[;\n\t]+/).filter((t) => t.trim());
  const made = pieces.map((piece) => orderOf(piece, size));
  return made.length && made.every((o) => o !== null) ? made : null;
}

export const orderSaid = (order: number[]) => `(${order.join(", ")})`;

/** A list with orders added that are not in it yet. */
export function withOrders(list: number[][], more: number[][]): number[][] {
  const known = new Set(list.map(orderSaid));
  return [...list, ...more.filter((o) => !known.has(orderSaid(o)) && known.add(orderSaid(o)))];
}
