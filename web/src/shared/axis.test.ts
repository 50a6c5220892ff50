import { describe, expect, it } from "vitest";
import { heights, hours, steps, timeAxis } from "./axis";

const start = "2026-01-14T17:10:00Z";
const end = "2026-01-15T08:00:00Z";

describe("the time axis", () => {
  it("puts now at the left and the last departure at the right", () => {
    const x = timeAxis(start, end, 900, 100);
    expect(x(new Date(start))).toBe(100);
    expect(x(new Date(end))).toBe(900);
  });

  it("marks every hour where there is room and fewer on a phone", () => {
    expect(hours(timeAxis(start, end, 1200, 0), 40)).toHaveLength(15);
    // 300 px over 14 h 50 min is 20 px an hour: every second one, 18:00 to 08:00.
    expect(hours(timeAxis(start, end, 300, 0), 40)).toHaveLength(8);
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
