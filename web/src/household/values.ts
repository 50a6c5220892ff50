import { hundred, type Manner, perHundred, perHundredKm, toKm, toUnit } from "../shared/format";
import { number } from "../shared/number";
import type { FieldSpec } from "./fields";

/** In what a field is typed. */
export function unitOf(field: FieldSpec, manner: Manner): string | undefined {
  if (field.measure === "distance") return manner.distanceUnit;
  return field.measure === "consumption" ? `kWh / ${hundred(manner)}` : field.unit;
}

/** A stored value as the text of its input, a moment on the household's own clock, a distance in its unit. */
export function written(field: FieldSpec, value: unknown, manner: Manner): string {
  if (value === null || value === undefined) return "";
  if (field.type === "moment") {
    const shown = new Intl.DateTimeFormat("sv-SE", {
      timeZone: manner.timezone,
      dateStyle: "short",
      timeStyle: "short",
    }).format(new Date(String(value)));
    return shown.replace(" ", "T");
  }
  if (field.type === "steps") return (value as [string, number][]).map((step) => step.join(" ")).join(", ");
  if (field.type === "numbers") return inRuns(value as number[]).join(" ");
  if (Array.isArray(value)) return value.join(" ");
  if (field.measure) {
    const shown = (field.measure === "distance" ? toUnit : perHundred)(Number(value), manner);
    return String(Number(shown.toFixed(2)));
  }
  if (field.type === "price") return String(value).replace(/(\.\d*?[1-9])0+$|\.0+$/, "$1");
  return String(value);
}

/** The text of an input as the API takes it; what is no number goes as it is, so that the server names the mistake. */
export function typed(field: FieldSpec, text: string, manner: Manner): unknown {
  const trimmed = text.trim();
  if (field.name === "legs" && field.type === "text") return trimmed === "" ? null : words(trimmed);
  if (field.type === "numbers") return words(trimmed.replace(/(\d)\s*[-–]\s*(?=\d)/g, "$1–")).flatMap(eachOf);
  if (field.type === "days") return words(trimmed);
  if (field.type === "steps") return steps(trimmed);
  if (field.type === "flag") return trimmed === "" ? null : trimmed === "true";
  if (trimmed === "") return null;
  if (field.measure) {
    const figure = number(trimmed);
    if (typeof figure !== "number") return figure;
    return field.measure === "distance" ? toKm(figure, manner) : perHundredKm(figure, manner);
  }
  if (field.type === "number" || field.type === "link") return number(trimmed);
  if (field.type === "choice" && !Number.isNaN(Number(trimmed))) return Number(trimmed);
  return trimmed;
}

/** "06:30 1.1, 17:00 1.6" as pairs of clock time and value. */
function steps(text: string): [string, number | string][] {
  return text
    .split(/\s*[,;]\s*/)
    .filter(Boolean)
    .map((pair) => pair.split(/\s+/))
    .map(([clock = "", value = ""]) => [clock, number(value)]);
}

/** "6–16" as every whole number from one to the other; any other word as the number it is. */
function eachOf(word: string): (number | string)[] {
  const [, from, to] = /^(\d{1,2})–(\d{1,2})$/.exec(word) ?? [];
  const many = Number(to) - Number(from) + 1;
  return many > 0 ? Array.from({ length: many }, (_, nth) => Number(from) + nth) : [number(word)];
}

/** Numbers as words, four or more whole ones in a row as the first and the last. */
function inRuns(values: number[]): string[] {
  const runs: number[][] = [];
  for (const value of values) {
    const run = runs.at(-1);
    if (run && Number.isInteger(value) && value === (run.at(-1) ?? Number.NaN) + 1) run.push(value);
    else runs.push([value]);
  }
  return runs.flatMap((run) => (run.length > 3 ? [`${run[0]}–${run.at(-1)}`] : run.map(String)));
}

function words(text: string): string[] {
  return text.split(/[\s,]+/).filter(Boolean);
}
