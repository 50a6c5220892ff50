import { describe, expect, it } from "vitest";
import { CIRCUIT, LEAD, PRICES, TRIP, VEHICLE } from "./fields";
import { typed, unitOf, written } from "./values";

const here = { timezone: "Europe/Ljubljana", currency: "EUR", distanceUnit: "km" } as const;
const field = (fields: typeof LEAD, name: string) => {
  const found = fields.find((f) => f.name === name);
  if (!found) throw new Error(name);
  return found;
};

describe("what is typed into the drawing", () => {
  it("takes steps with spaces or commas", () => {
    expect(typed(field(LEAD, "steps_a"), "6, 8 10 13", here)).toEqual([6, 8, 10, 13]);
    expect(typed(field(LEAD, "steps_a"), "", here)).toEqual([]);
  });

  it("takes every whole ampere from one to another, and writes it so", () => {
    const steps = field(LEAD, "steps_a");
    expect(typed(steps, "6 - 10, 13 16–18", here)).toEqual([6, 7, 8, 9, 10, 13, 16, 17, 18]);
    expect(written(steps, [6, 7, 8, 9, 10, 13, 16, 17, 18], here)).toBe("6–10 13 16 17 18");
    expect(written(steps, [5.5, 6.5, 7.5, 8.5], here)).toBe("5.5 6.5 7.5 8.5");
    expect(typed(steps, "16–6", here)).toEqual(["16–6"]);
  });

  it("takes a decimal comma, and leaves what is no number for the server to name", () => {
    expect(typed(field(CIRCUIT, "breaker_a"), "16,5", here)).toBe(16.5);
    expect(typed(field(CIRCUIT, "breaker_a"), "sixteen", here)).toBe("sixteen");
  });

  it("keeps a price as text, so that no decimal is lost", () => {
    expect(typed(field(PRICES, "default_price"), "0.06512", here)).toBe("0.06512");
    expect(written(field(PRICES, "default_price"), "0.0651200", here)).toBe("0.06512");
  });

  it("writes a moment on the clock of the house", () => {
    expect(written(field(TRIP, "leave"), "2026-01-15T07:05:00Z", here)).toBe("2026-01-15T08:05");
  });

  it("takes and writes distances in the unit of the house, and keeps kilometres", () => {
    const inMiles = { ...here, distanceUnit: "mi" } as const;
    const [km, use] = [field(TRIP, "km"), field(VEHICLE, "use_kwh_per_100km")];
    // 40 miles are 64.37 km; 28 kWh on 160.9 km are 17.4 on 100.
    expect(typed(km, "40", inMiles)).toBeCloseTo(64.374, 3);
    expect(typed(use, "28", inMiles)).toBeCloseTo(17.398, 3);
    expect([written(km, 64.37376, inMiles), written(use, 17.3984, inMiles)]).toEqual(["40", "28"]);
    expect([unitOf(km, inMiles), unitOf(use, inMiles), unitOf(use, here)]).toEqual([
      "mi",
      "kWh / 100 mi",
      "kWh / 100 km",
    ]);
    expect(typed(km, "far", inMiles)).toBe("far");
  });
});
