import { describe, expect, it } from "vitest";
import { columnFor, fitted } from "./names";

describe("names beside a sheet", () => {
  it("has them all in a column that is no wider than it need be", () => {
    const names = ["shed wall", "carport socket"];
    for (const name of names) expect(fitted(name, columnFor(names))).toBe(name);
    expect(columnFor(["Mia"])).toBe(columnFor([]));
    expect(columnFor(names)).toBeGreaterThan(columnFor(["Mia"]));
  });

  it("cuts one that would take the sheet's place", () => {
    const long = "the wall unit behind the old stable";
    const column = columnFor([long]);
    expect(column).toBe(columnFor([`${long} and more`]));
    expect(fitted(long, column)).toBe("the wall unit behi…");
  });
});
