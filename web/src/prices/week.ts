import type { Schemas } from "../api/client";

export type Week = Schemas["WeekShown"];

export const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
export const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
export const HALF_HOURS = 48;

/** A half hour of the week: its day from Monday, 0, and its place in the day. */
export interface Cell {
  day: number;
  at: number;
}

/** Hours of the week between two corners, whichever was pressed first. */
export interface Stretch {
  firstDay: number;
  lastDay: number;
  first: number;
  last: number;
}

export function between(one: Cell, other: Cell): Stretch {
  return {
    firstDay: Math.min(one.day, other.day),
    lastDay: Math.max(one.day, other.day),
    first: Math.min(one.at, other.at),
    last: Math.max(one.at, other.at),
  };
}

export function holds(stretch: Stretch, cell: Cell): boolean {
  const { firstDay, lastDay, first, last } = stretch;
  return cell.day >= firstDay && cell.day <= lastDay && cell.at >= first && cell.at <= last;
}

/** Half hours of a day that follow on and belong to one line; `last` is the first one after them. */
export function runsOf(lines: number[]): { first: number; last: number; line: number }[] {
  const runs: { first: number; last: number; line: number }[] = [];
  lines.forEach((line, at) => {
    const run = runs.at(-1);
    if (run?.line === line) run.last = at + 1;
    else runs.push({ first: at, last: at + 1, line });
  });
  return runs;
}

/** The clock time at which a half hour begins; after the last one it is 00:00 again. */
export function clockOf(at: number): string {
  const minutes = (at * 30) % 1440;
  return `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;
}

export function daysOf({ firstDay, lastDay }: Stretch): number[] {
  return Array.from({ length: lastDay - firstDay + 1 }, (_, n) => firstDay + n);
}

export function tellStretch(stretch: Stretch): string {
  const { firstDay, lastDay, first, last } = stretch;
  const days = firstDay === lastDay ? DAYS[firstDay] : `${DAYS[firstDay]} to ${DAYS[lastDay]}`;
  return `${days}, ${clockOf(first)} to ${clockOf(last + 1)}`;
}

/** The cell that an arrow key leads to, within the week. */
export function stepped(cell: Cell, key: string, upright: boolean): Cell | null {
  const across = { ArrowLeft: -1, ArrowRight: 1 }[key] ?? 0;
  const down = { ArrowUp: -1, ArrowDown: 1 }[key] ?? 0;
  if (across === 0 && down === 0) return null;
  const day = cell.day + (upright ? across : down);
  const at = cell.at + (upright ? down : across);
  return day < 0 || day > 6 || at < 0 || at >= HALF_HOURS ? null : { day, at };
}

/** Months in a few words: runs that follow on, over the turn of the year too. */
export function tellMonths(months: number[]): string {
  if (months.length === 12) return "all year";
  const runs: number[][] = [];
  for (const month of months) {
    const run = runs.at(-1);
    if (run && (run.at(-1) as number) + 1 === month) run.push(month);
    else runs.push([month]);
  }
  const [first, last] = [runs[0], runs.at(-1)];
  if (runs.length > 1 && first?.[0] === 1 && last?.at(-1) === 12) {
    runs.shift();
    runs.pop();
    runs.push([...(last as number[]), ...(first as number[])]);
  }
  return runs.map((run) => (run.length > 1 ? `${name(run[0])}–${name(run.at(-1))}` : name(run[0]))).join(", ");
}

function name(month: number | undefined): string {
  return MONTHS[(month ?? 1) - 1] ?? "";
}
