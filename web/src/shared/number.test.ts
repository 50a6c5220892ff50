import { expect, test } from "vitest";
import { figure, number, odometer } from "./number";

test("a decimal comma is a decimal point", () => {
  expect(number("2,5")).toBe(2.5);
  expect(figure("-0.02")).toBe(-0.02);
});

test("what is no number is never taken for nought", () => {
  expect(number("two")).toBe("two");
  expect(number("")).toBe("");
  expect(figure(" ")).toBeNaN();
});

test("an odometer's thousands may be grouped, and a tenth stays one", () => {
  for (const text of ["41786", "41,786", "41.786", " 41 786 ", "41’786"]) expect(odometer(text)).toBe(41786);
  expect(odometer("1,041,786")).toBe(1041786);
  expect(odometer("41786,5")).toBe(41786.5);
  expect(odometer("41,78")).toBe(41.78);
  expect(odometer("many")).toBeNaN();
});
