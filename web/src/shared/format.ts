/** How figures are written. One converter for distances, one formatter for money, one for clock times. */
export interface Manner {
  timezone: string;
  currency: string;
  distanceUnit: "km" | "mi";
  /** When it is, on the household's clock, where the answer says so. */
  now?: string;
}

/** How the figures of an answer are written. */
export function mannerOf(answer: { timezone: string; currency: string; distance_unit: string; now?: string }): Manner {
  return {
    now: answer.now,
    timezone: answer.timezone,
    currency: answer.currency,
    distanceUnit: answer.distance_unit === "mi" ? "mi" : "km",
  };
}

const KM_PER_MILE = 1.609344;

export function distance(km: number, manner: Manner): string {
  return `${Math.round(toUnit(km, manner))} ${manner.distanceUnit}`;
}

export function toUnit(km: number, manner: Manner): number {
  return manner.distanceUnit === "mi" ? km / KM_PER_MILE : km;
}

export function toKm(value: number, manner: Manner): number {
  return manner.distanceUnit === "mi" ? value * KM_PER_MILE : value;
}

/** A figure per 100 km, such as a consumption, per hundred of the household's distances. */
export function perHundred(per100Km: number, manner: Manner): number {
  return toKm(per100Km, manner);
}

/** What was typed per hundred of the household's distances, per 100 km. */
export function perHundredKm(value: number, manner: Manner): number {
  return toUnit(value, manner);
}

export function hundred(manner: Manner): string {
  return `100 ${manner.distanceUnit}`;
}

export function money(amount: number, manner: Manner): string {
  return new Intl.NumberFormat("en", {
    style: "currency",
    currency: manner.currency,
    currencyDisplay: "narrowSymbol",
  }).format(amount);
}

export function price(amount: number): string {
  return amount.toFixed(5).replace(/0{1,3}$/, "");
}

/** A price as it stands on a sheet: every decimal that was typed, and no noughts after them. */
export function sheetPrice(text: string): string {
  return text.includes(".") ? text.replace(/\.?0+$/, "") : text;
}

export function energy(kwh: number): string {
  return `${kwh.toFixed(1)} kWh`;
}

/** So many of something. */
export function counted(n: number, one: string): string {
  return `${n} ${one}${n === 1 ? "" : "s"}`;
}

/** Whether an energy is more than nothing as it is written. */
export function isTold(kwh: number): boolean {
  return energy(Math.abs(kwh)) !== energy(0);
}

export function percent(value: number): string {
  return `${Math.round(value)} %`;
}

export function amps(value: number): string {
  return `${Number(value.toFixed(2))} A`;
}

/** A text in which no line breaks between a figure and its unit. */
export function unbroken(text: string): string {
  return text.replace(/(\d) (A|V|kW|kWh|km|mi|h|min|%)(?!\w)/g, "$1\u00a0$2");
}

/** Building a formatter takes a hundred times as long as using one, and a sheet has many clock times. */
const clocks = new Map<string, Intl.DateTimeFormat>();

function clockOf(timeZone: string): Intl.DateTimeFormat {
  const known = clocks.get(timeZone);
  if (known) return known;
  const built = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone, hourCycle: "h23" });
  clocks.set(timeZone, built);
  return built;
}

const A_MINUTE_MS = 60_000;

/** The clock time of the nearest minute: a session ends between two. */
export function clock(instant: string, manner: Manner): string {
  return clockOf(manner.timezone).format(Math.round(Date.parse(instant) / A_MINUTE_MS) * A_MINUTE_MS);
}

export function weekday(instant: string, manner: Manner): string {
  return new Intl.DateTimeFormat("en", { weekday: "long", timeZone: manner.timezone }).format(new Date(instant));
}

const A_DAY_MS = 86_400_000;

/** A clock time, with its weekday where that is over a day from now. */
export function clockTold(instant: string, manner: Manner): string {
  const isSoon = manner.now !== undefined && Date.parse(instant) - Date.parse(manner.now) <= A_DAY_MS;
  return isSoon ? clock(instant, manner) : `${dayTold(instant, manner)} ${clock(instant, manner)}`;
}

/** A clock time, with its day where that is another than the day it began on. */
export function clockSince(instant: string, began: string, manner: Manner): string {
  const then = day(instant, manner);
  return then === day(began, manner) ? clock(instant, manner) : `${nightShort(then)} ${clock(instant, manner)}`;
}

/** A day by its weekday; a week from today or more, where that could be another, with its date. */
export function dayTold(instant: string, manner: Manner): string {
  const then = day(instant, manner);
  const today = manner.now && day(manner.now, manner);
  const apart = today ? Math.abs(Date.parse(then) - Date.parse(today)) / A_DAY_MS : Infinity;
  return apart < 7 ? weekday(instant, manner) : nightTitle(then);
}

/** YYYY-MM-DD on the household's calendar. */
export function day(instant: string, manner: Manner): string {
  return new Intl.DateTimeFormat("sv-SE", { timeZone: manner.timezone }).format(new Date(instant));
}

export function nightTitle(night: string): string {
  return new Intl.DateTimeFormat("en-GB", { weekday: "long", day: "numeric", month: "long", timeZone: "UTC" }).format(
    new Date(`${night}T12:00:00Z`),
  );
}

export function nightShort(night: string): string {
  return new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" }).format(
    new Date(`${night}T12:00:00Z`),
  );
}
