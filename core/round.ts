/** A number rounded to so many decimal digits: decisions are stored as text, no longer than they are sure. */
export function roundTo(value: number, digits: number): number {
  return Math.round(value * 10 ** digits) / 10 ** digits
}
