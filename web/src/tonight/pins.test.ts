import { expect, test } from "vitest";
import { pinnedToo } from "./pins";

const evening = { start: "19:00", end: "20:00", amps: 8 };
const night = { start: "02:00", end: "06:30", amps: 10 };

test("a second session is pinned besides the first", () => {
  expect(pinnedToo([evening], { ...night, parts: [] })).toEqual([evening, night]);
});

test("the whole session takes the place of the parts of it that were pinned", () => {
  const middle = { ...night, start: "03:00", end: "03:30" };
  const last = { ...night, start: "06:00" };
  expect(pinnedToo([middle, evening, last], { ...night, parts: [0, 2] })).toEqual([evening, night]);
});

test("a session that is pulled elsewhere leaves no pin behind", () => {
  const moved = { start: "01:00", end: "05:30", amps: 10 };
  expect(pinnedToo([evening, night], { ...night, parts: [1] }, moved)).toEqual([evening, moved]);
});
