import { number } from "../shared/number";
import type { ReadingIn } from "./rates.queries";

export type Kind = NonNullable<ReadingIn["kind"]>;

export interface Asked {
  name: keyof ReadingIn;
  label: string;
  unit?: string;
  type: "number" | "moment" | "duration" | "flag" | "side";
}

export const KINDS: [Kind, string][] = [
  ["display", "The display now"],
  ["meter", "A meter over time"],
  ["span", "SoC over time"],
  ["estimate", "The car's estimate"],
];

function ask(name: keyof ReadingIn, label: string, unit?: string, type: Asked["type"] = "number"): Asked {
  return { name, label, unit, type };
}

const SPAN = [
  ask("start", "From", undefined, "moment"),
  ask("end", "To", undefined, "moment"),
  ask("soc_from_pct", "SoC before", "%"),
  ask("soc_to_pct", "SoC after", "%"),
];

/** What each kind of reading is asked for, the usual first. */
export const ASKED: Record<Kind, Asked[]> = {
  display: [
    ask("minutes", "Since plugging in", "min"),
    ask("amps", "Current", "A"),
    ask("volts", "Voltage", "V"),
    ask("range_per_h", "Range per hour"),
    ask("kw", "Power", "kW"),
    ask("kw_side", "Power is read", undefined, "side"),
    ask("soc_pct", "SoC", "%"),
    ask("temperature_c", "Outside", "°C"),
    ask("cabin_on", "Cabin, lights or heating on", undefined, "flag"),
  ],
  meter: [...SPAN, ask("wall_kwh", "The meter counted", "kWh")],
  span: [...SPAN, ask("amps", "Current", "A"), ask("volts", "Voltage", "V")],
  estimate: [
    ask("soc_pct", "SoC", "%"),
    ask("to_pct", "It reckons to", "%"),
    ask("hours", "In", "h:mm", "duration"),
    ask("minutes", "Since plugging in", "min"),
    ask("amps", "Current", "A"),
    ask("volts", "Voltage", "V"),
  ],
};

/** The typed texts as a reading; null while nothing is typed. What is no number goes as it is: the server names it. */
export function readingOf(kind: Kind, texts: Record<string, string>, unit: "km" | "mi", now: string): ReadingIn | null {
  const given = ASKED[kind].filter(({ name }) => (texts[name] ?? "").trim() !== "");
  if (!given.some(({ type }) => type === "number" || type === "duration")) return null;
  const values = given.map(({ name, type }) => [name, typedAs(type, (texts[name] ?? "").trim())]);
  const at = kind === "display" || kind === "estimate" ? { at: now } : {};
  const range = kind === "display" ? { range_unit: unit } : {};
  return { kind, ...at, ...range, ...Object.fromEntries(values) };
}

function typedAs(type: Asked["type"], text: string): unknown {
  if (type === "moment" || type === "side") return text;
  if (type === "flag") return text === "true";
  const clock = /^(\d{1,3}):(\d{2})$/.exec(text);
  if (type === "duration" && clock) return Number(clock[1]) + Number(clock[2]) / 60;
  return number(text);
}
