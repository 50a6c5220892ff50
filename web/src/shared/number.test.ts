import { expect, test } from "vitest";
import { figure, number } from "./number";

test("a decimal comma is a decimal point", () => {
  expect(number("2,5")).toBe(2.5);
  expect(figure("-0.02")).toBe(-0.02);
});

test("what is no number is never taken for nought", () => {
  expect(number("two")).toBe("two");
  expect(number("")).toBe("");
  expect(figure(" ")).toBeNaN();
});
