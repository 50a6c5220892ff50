import { percent } from "./format";

interface Departure {
  required_pct: number | null;
  needed_pct: number | null;
  can_leave: boolean;
}

/** Of what is to be aboard: as much as the trip needs, or more. */
export function wantedOrNeeded({ required_pct, needed_pct }: Departure): string {
  return (needed_pct ?? 0) < (required_pct ?? 0) ? "wanted" : "needed";
}

/** What the trip itself needs, where more is wanted. */
export function neededByItself({ required_pct, needed_pct, can_leave }: Departure): string {
  if (required_pct === null || needed_pct === null || needed_pct >= required_pct) return "";
  return `The trip itself needs ${percent(needed_pct)}${can_leave ? ", and has it" : ""}.`;
}
