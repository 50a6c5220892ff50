import { energy, percent } from "./format";

interface Departure {
  needed_pct: number | null;
  wants_more: boolean;
  can_leave: boolean;
}

/** Of what is to be aboard: as much as the trip needs, or more. */
export function wantedOrNeeded({ wants_more }: Departure): string {
  return wants_more ? "wanted" : "needed";
}

/** What the trip itself needs, where more is wanted. */
export function neededByItself({ needed_pct, wants_more, can_leave }: Departure): string {
  if (needed_pct === null || !wants_more) return "";
  return `The trip itself needs ${percent(needed_pct)}${can_leave ? ", and has it" : ""}.`;
}

/** What a trip needs beyond a full battery. */
export function onTheWay({ on_the_way_kwh }: { on_the_way_kwh: number }): string {
  return on_the_way_kwh > 0 ? `${energy(on_the_way_kwh)} to charge on the way` : "";
}
