import { describe, expect, it } from "vitest";
import { stepped, tidy } from "./TimeField";

describe("a clock time", () => {
  it("is taken as people type it", () => {
    expect(tidy("730")).toBe("07:30");
    expect(tidy("7.30")).toBe("07:30");
    expect(tidy("21:05 ")).toBe("21:05");
    expect(tidy("soon")).toBe("soon");
  });

  it("steps over midnight", () => {
    expect(stepped("23:58", 5)).toBe("00:03");
    expect(stepped("00:00", -5)).toBe("23:55");
  });
});
