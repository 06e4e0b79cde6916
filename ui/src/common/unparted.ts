/** A sentence whose "p = .004" is never parted at a line's end: a letter or two, a sign and a number hold together. */
export function unparted(text: string): string {
  return text.replace(/(?<![\p{L}\d])([\p{L}²]{1,3})\s([=<>≤≥])\s(?=[−\d.])/gu, "$1\u00a0$2\u00a0");
}
