import { type ScaleLinear, type ScaleTime, scaleLinear, scaleTime } from "d3-scale";
import { clock, type Manner } from "./format";

/** A value from an instant on. */
export interface Point {
  at: string;
  value: number;
}

/** The one time axis of the sheet, and the hours that are marked on it. */
export type TimeAxis = ScaleTime<number, number>;
export type Heights = ScaleLinear<number, number>;

export function timeAxis(start: string, end: string, width: number, left: number): TimeAxis {
  return scaleTime([new Date(start), new Date(end)], [left, width]);
}

/** Offsets from universal time are whole quarters of an hour. */
const QUARTER_MS = 900_000;

/** Full hours of the household's clock between the ends, far enough apart to be read. */
export function hours(axis: TimeAxis, apart: number, manner: Manner): Date[] {
  const [start, end] = axis.domain() as [Date, Date];
  const perHour = axis(new Date(start.getTime() + 4 * QUARTER_MS)) - axis(start);
  const every = [1, 2, 3, 4, 6, 12].find((n) => n * perHour >= apart) ?? 24;
  const marks: Date[] = [];
  const first = Math.ceil(start.getTime() / QUARTER_MS) * QUARTER_MS;
  for (let at = first; at <= end.getTime(); at += QUARTER_MS) {
    const [hour, minute] = clock(new Date(at).toISOString(), manner).split(":").map(Number) as [number, number];
    if (minute === 0 && hour % every === 0) marks.push(new Date(at));
  }
  return marks;
}

export function heights(most: number, top: number, bottom: number): Heights {
  return scaleLinear([0, most], [bottom, top]);
}

/** A step series as a path: each value holds until the next. */
export function steps(points: Point[], x: TimeAxis, y: Heights, end: string): string {
  if (points.length === 0) return "";
  const [first, ...rest] = points as [Point, ...Point[]];
  let path = `M ${x(new Date(first.at)).toFixed(1)} ${y(first.value).toFixed(1)}`;
  for (const { at, value } of rest) {
    path += ` H ${x(new Date(at)).toFixed(1)} V ${y(value).toFixed(1)}`;
  }
  return `${path} H ${x(new Date(end)).toFixed(1)}`;
}
