import type { Vec2 } from "../document/types";

/**
 * Five values of a parameter about the present one: two to either side, over a share of the range that a drag
 * covers, within what is accepted.
 */
export function sweeping(value: number, soft: Vec2 | null, hard: (number | null)[], share: number): number[] {
  const [low, high] = soft ?? [value - Math.abs(value) - 1, value + Math.abs(value) + 1];
  const bottom = hard[0] ?? -Infinity;
  const top = hard[1] ?? Infinity;
  const within = (v: number) => Number(Math.min(Math.max(v, bottom), top).toPrecision(6));
  // towards each end of the range, or as far again beyond an end that was passed
  const span = (high - low) / 2;
  const down = value - low > 0 ? Math.min(value - low, span * 1.5) : span;
  const up = high - value > 0 ? Math.min(high - value, span * 1.5) : span;
  return [
    within(value - down * share),
    within(value - (down * share) / 2),
    value,
    within(value + (up * share) / 2),
    within(value + up * share),
  ];
}
