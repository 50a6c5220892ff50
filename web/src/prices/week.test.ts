import { describe, expect, it } from "vitest";
import { between, clockOf, daysOf, holds, stepped, tellMonths, tellStretch } from "./week";

describe("hours of the week", () => {
  it("are the same whichever corner was pressed first", () => {
    const stretch = between({ day: 6, at: 29 }, { day: 5, at: 24 });
    expect(tellStretch(stretch)).toBe("Saturday to Sunday, 12:00 to 15:00");
    expect(daysOf(stretch)).toEqual([5, 6]);
    expect(holds(stretch, { day: 5, at: 29 })).toBe(true);
    expect(holds(stretch, { day: 4, at: 29 })).toBe(false);
  });

  it("end at midnight with the day's last half hour", () => {
    expect(clockOf(47 + 1)).toBe("00:00");
    expect(tellStretch(between({ day: 0, at: 44 }, { day: 0, at: 47 }))).toBe("Monday, 22:00 to 00:00");
  });

  it("are walked with the arrow keys, lying at the desk and upright on a phone", () => {
    expect(stepped({ day: 0, at: 0 }, "ArrowRight", false)).toEqual({ day: 0, at: 1 });
    expect(stepped({ day: 0, at: 0 }, "ArrowRight", true)).toEqual({ day: 1, at: 0 });
    expect(stepped({ day: 0, at: 0 }, "ArrowUp", false)).toBeNull();
  });

  it("tell a winter as one", () => {
    expect(tellMonths([1, 2, 11, 12])).toBe("Nov–Feb");
    expect(tellMonths([3, 4, 5, 7])).toBe("Mar–May, Jul");
    expect(tellMonths([1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12])).toBe("all year");
  });
});
