import { clock, day, type Manner } from "./format";

/** Writes an instant as day and clock time of the house. */
export function moments(manner: Manner): (instant: string) => string {
  return (instant) => `${day(instant, manner)} ${clock(instant, manner)}`;
}

/** The clocks that times of a file may go by: the household's own first. */
export function zones(own: string): [string, string][] {
  const others = ["UTC", "Europe/London", "Europe/Lisbon", "Europe/Athens", "America/New_York", "Australia/Sydney"];
  return [
    [own, `our own clock (${own})`],
    ...others.filter((zone) => zone !== own).map((zone): [string, string] => [zone, zone]),
  ];
}
