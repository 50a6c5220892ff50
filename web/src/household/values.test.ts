import { describe, expect, it } from "vitest";
import { CIRCUIT, LEAD, PRICES, TRIP } from "./fields";
import { typed, written } from "./values";

const field = (fields: typeof LEAD, name: string) => {
  const found = fields.find((f) => f.name === name);
  if (!found) throw new Error(name);
  return found;
};

describe("what is typed into the drawing", () => {
  it("takes steps with spaces or commas", () => {
    expect(typed(field(LEAD, "steps_a"), "6, 8 10 13")).toEqual([6, 8, 10, 13]);
    expect(typed(field(LEAD, "steps_a"), "")).toEqual([]);
  });

  it("takes a decimal comma, and leaves what is no number for the server to name", () => {
    expect(typed(field(CIRCUIT, "breaker_a"), "16,5")).toBe(16.5);
    expect(typed(field(CIRCUIT, "breaker_a"), "sixteen")).toBe("sixteen");
  });

  it("keeps a price as text, so that no decimal is lost", () => {
    expect(typed(field(PRICES, "default_price"), "0.06512")).toBe("0.06512");
    expect(written(field(PRICES, "default_price"), "0.0651200", "UTC")).toBe("0.06512");
  });

  it("writes a moment on the clock of the house", () => {
    expect(written(field(TRIP, "leave"), "2026-01-15T07:05:00Z", "Europe/Ljubljana")).toBe("2026-01-15T08:05");
  });
});
