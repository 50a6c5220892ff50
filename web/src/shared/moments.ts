import type { Asked } from "./BringFile";
import { clock, day, type Manner } from "./format";

/** Writes an instant as day and clock time of the house. */
export function moments(manner: Manner): (instant: string) => string {
  return (instant) => `${day(instant, manner)} ${clock(instant, manner)}`;
}

/** Which clock the times of a file go by, where they have no offset: the household's own first. */
export function zoneAsked({ timezone: own }: Manner): Asked {
  const others = ["UTC", "Europe/London", "Europe/Lisbon", "Europe/Athens", "America/New_York", "Australia/Sydney"];
  return {
    name: "zone",
    label: "Times without an offset are on",
    choices: [
      [own, `our own clock (${own})`],
      ...others.filter((zone) => zone !== own).map((zone): [string, string] => [zone, zone]),
    ],
  };
}
