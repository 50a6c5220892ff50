import { describe, expect, it } from "vitest";
import { moved, wall } from "./wall";

describe("a clock time of the house", () => {
  it("is the house's and not the browser's", () => {
    expect(wall("2026-01-22T06:00:00Z", "Europe/Ljubljana")).toBe("2026-01-22T07:00");
  });

  it("stays the same clock time when it is moved by a day over a clock change", () => {
    expect(moved("2026-03-28T07:20", 24 * 60)).toBe("2026-03-29T07:20");
    expect(moved("2026-01-31T23:50", 15)).toBe("2026-02-01T00:05");
  });
});
