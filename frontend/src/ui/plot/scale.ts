import { scaleLinear, type ScaleLinear } from "d3-scale";

export type Scale = ScaleLinear<number, number>;
type Values = readonly (number | null | undefined)[];

/** The least and the greatest of what is known; 0 and 1 where nothing is. */
export function endsOf(values: Values): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (const value of values) {
    if (value === null || value === undefined) continue;
    if (value < low) low = value;
    if (value > high) high = value;
  }
  return low <= high ? [low, high] : [0, 1];
}

/** From values to pixels, with a share of their span left free at both ends. Values that are all alike stand in the middle. */
export function scaleOf(values: Values, [from, to]: [number, number], room = 0): Scale {
  const [low, high] = endsOf(values);
  const free = (high - low || 1) * room;
  return scaleLinear([low - free, high + free], [from, to]);
}

/** From a value and its opposite to pixels about a middle. */
export function scaleAbout(values: Values, [from, to]: [number, number]): Scale {
  const most = Math.max(...endsOf(values).map(Math.abs), 1e-12);
  return scaleLinear([-most, most], [from, to]);
}

/** Round numbers inside the values, about so many, zero among them where it is inside; values that are all alike are one. */
export function roundLevels(values: Values, count: number): number[] {
  if (values.every((value) => value === null || value === undefined)) return [];
  const [low, high] = endsOf(values);
  const isOne = high - low <= Math.max(Math.abs(low), Math.abs(high)) * 1e-12 || high - low < 1e-290;
  return isOne ? [low] : scaleLinear([low, high], [0, 1]).ticks(count);
}

const pixel = (value: number) => value.toFixed(1);

/** Points of a polyline through what is known. */
export function pointsOf(values: Values, x: (place: number) => number, y: (value: number) => number): string {
  return values
    .flatMap((value, place) => (value === null || value === undefined ? [] : [`${pixel(x(place))},${pixel(y(value))}`]))
    .join(" ");
}

/** A path through what is known, broken where something is not. */
export function pathOf(values: Values, x: (place: number) => number, y: (value: number) => number): string {
  let path = "";
  let isOpen = false;
  values.forEach((value, place) => {
    const isKnown = value !== null && value !== undefined;
    if (isKnown) path += `${isOpen ? "L" : "M"}${pixel(x(place))} ${pixel(y(value))}`;
    isOpen = isKnown;
  });
  return path;
}

/** Points of a polygon between two lines; there and back. */
export function bandOf(
  lower: Values,
  upper: Values,
  x: (place: number) => number,
  y: (value: number) => number,
): string {
  const back = lower.map((value, place) => `${pixel(x(place))},${pixel(y(value ?? 0))}`).reverse();
  return [...upper.map((value, place) => `${pixel(x(place))},${pixel(y(value ?? 0))}`), ...back].join(" ");
}
