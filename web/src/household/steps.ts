import type { WholeHousehold } from "../api/client";

export type Question = "place" | "supply" | "circuit" | "lead" | "vehicle" | "prices" | "trip";

/** What the first evening asks next: the first part of the drawing that is not there yet. */
export function nextQuestion(
  whole: WholeHousehold,
  placed: boolean,
  supplied: boolean,
): { kind: Question; says: string } | null {
  if (!placed) return { kind: "place", says: "First: where the house stands." };
  if (!supplied) return { kind: "supply", says: "Now what comes into the house." };
  if (whole.circuits.length === 0) return { kind: "circuit", says: "Now the circuit a car is charged from." };
  if (whole.leads.length === 0) return { kind: "lead", says: "Now what hangs on it: a wall unit, or a portable lead." };
  if (whole.vehicles.length === 0) return { kind: "vehicle", says: "Now the car." };
  if (whole.tariffs.length === 0) return { kind: "prices", says: "Now what a kWh costs." };
  if (whole.trips.length === 0) return { kind: "trip", says: "Last: the next trip." };
  return null;
}
