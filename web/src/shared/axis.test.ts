import { describe, expect, it } from "vitest";
import { heights, hours, steps, timeAxis } from "./axis";
import { clock, type Manner } from "./format";

const start = "2026-01-14T17:10:00Z";
const end = "2026-01-15T08:00:00Z";

function marked(width: number, timezone: string): string[] {
  const manner: Manner = { timezone, currency: "EUR", distanceUnit: "km" };
  return hours(timeAxis(start, end, width, 0), 40, manner).map((at) => clock(at.toISOString(), manner));
}

describe("the time axis", () => {
  it("puts now at the left and the last departure at the right", () => {
    const x = timeAxis(start, end, 900, 100);
    expect(x(new Date(start))).toBe(100);
    expect(x(new Date(end))).toBe(900);
  });

  it("marks every hour where there is room and fewer on a phone", () => {
    expect(marked(1200, "Europe/Ljubljana")).toHaveLength(15);
    // 300 px over 14 h 50 min is 20 px an hour: every second hour of the clock, which is one ahead.
    expect(marked(300, "Europe/Ljubljana")).toEqual(["20:00", "22:00", "00:00", "02:00", "04:00", "06:00", "08:00"]);
  });

  it("marks the hours of a clock that is half an hour off", () => {
    // 17:10 to 08:00 are 13:40 to 04:30 on a clock three and a half hours behind.
    expect(marked(300, "America/St_Johns")).toEqual([
      "14:00",
      "16:00",
      "18:00",
      "20:00",
      "22:00",
      "00:00",
      "02:00",
      "04:00",
    ]);
  });

  it("draws a step that holds until the next", () => {
    const x = timeAxis("2026-01-14T18:00:00Z", "2026-01-14T20:00:00Z", 200, 0);
    const path = steps(
      [
        { at: "2026-01-14T18:00:00Z", value: 0 },
        { at: "2026-01-14T19:00:00Z", value: 10 },
      ],
      x,
      heights(10, 0, 50),
      "2026-01-14T20:00:00Z",
    );
    expect(path).toBe("M 0.0 50.0 H 100.0 V 0.0 H 200.0");
  });
});
