import { describe, expect, it } from "vitest";
import {
  amps,
  clock,
  clockSince,
  clockTold,
  day,
  dayTold,
  distance,
  type Manner,
  money,
  price,
  sheetPrice,
  toKm,
  toUnit,
  unbroken,
} from "./format";

const here: Manner = { timezone: "Europe/Ljubljana", currency: "EUR", distanceUnit: "km" };
const miles: Manner = { ...here, distanceUnit: "mi" };

describe("figures", () => {
  it("shows a distance in the household's unit", () => {
    expect(distance(64, here)).toBe("64 km");
    expect(distance(160.9344, miles)).toBe("100 mi");
  });

  it("brings a typed distance back to the kilometres it came from", () => {
    expect(toKm(toUnit(22, miles), miles)).toBeCloseTo(22, 9);
  });

  it("writes money once, with its currency", () => {
    expect(money(0.778, here)).toBe("€0.78");
    expect(money(-0.05, here)).toBe("-€0.05");
  });

  it("keeps the decimals of a tariff sheet", () => {
    expect(price(0.06512)).toBe("0.06512");
    expect(price(0.04)).toBe("0.04");
    expect(sheetPrice("0.0651234")).toBe("0.0651234");
    expect(sheetPrice("0.2500000")).toBe("0.25");
    expect(sheetPrice("10")).toBe("10");
  });

  it("tells a day by its weekday, and with its date from a week on", () => {
    const thursday = { ...here, now: "2026-01-15T07:30:00+01:00" };
    expect(dayTold("2026-01-21T06:00:00Z", thursday)).toBe("Wednesday");
    expect(dayTold("2026-01-22T06:00:00Z", thursday)).toBe("Thursday 22 January");
    // Past midnight in the house it is Thursday already.
    expect(dayTold("2026-01-21T23:30:00Z", thursday)).toBe("Thursday 22 January");
    expect(dayTold("2026-01-15T06:00:00Z", here)).toBe("Thursday 15 January");
  });

  it("tells a clock time with its day where it could be that of another", () => {
    const morning = { ...here, now: "2026-01-15T06:50:00+01:00" };
    expect(clockTold("2026-01-16T05:45:00Z", morning)).toBe("06:45");
    expect(clockTold("2026-01-16T08:30:00Z", morning)).toBe("Friday 09:30");
  });

  it("tells when a journey of several days ends with its day", () => {
    const friday = "2026-10-09T06:00:00+02:00";
    expect(clockSince("2026-10-09T20:00:00+02:00", friday, here)).toBe("20:00");
    expect(clockSince("2026-10-11T20:00:00+02:00", friday, here)).toBe("Sun 11 Oct 20:00");
    // Past midnight in the house, whatever day it is in London.
    expect(clockSince("2026-10-09T22:30:00Z", friday, here)).toBe("Sat 10 Oct 00:30");
  });

  it("tells the time of the house and not of the browser, across a clock change", () => {
    expect(clock("2026-03-29T00:30:00Z", here)).toBe("01:30");
    expect(clock("2026-03-29T01:30:00Z", here)).toBe("03:30");
    expect(day("2026-01-14T23:30:00Z", here)).toBe("2026-01-15");
  });

  it("tells the nearest minute of a session that ends between two", () => {
    expect(clock("2026-01-15T04:59:44.983Z", here)).toBe("06:00");
    expect(clock("2026-01-15T04:59:20Z", here)).toBe("05:59");
  });

  it("keeps a figure and its unit on one line", () => {
    expect(unbroken("13.49 A, from 02:30 16 A")).toBe("13.49\u00a0A, from 02:30 16\u00a0A");
    expect(unbroken("9.2 kW, 51 km per hour at 2 Amps")).toBe("9.2\u00a0kW, 51\u00a0km per hour at 2 Amps");
  });

  it("leaves no trailing noughts on a current", () => {
    expect(amps(16)).toBe("16 A");
    expect(amps(13.5)).toBe("13.5 A");
  });
});
