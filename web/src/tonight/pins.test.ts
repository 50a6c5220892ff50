import { expect, test } from "vitest";
import { pinnedToo } from "./pins";

const evening = { start: "19:00", end: "20:00", amps: 8 };
const night = { start: "02:00", end: "06:30", amps: 10 };

test("a second session is pinned besides the first", () => {
  expect(pinnedToo([evening], night)).toEqual([evening, night]);
});

test("the whole session takes the place of a part of it that was pinned", () => {
  const part = { ...night, end: "03:00" };
  expect(pinnedToo([evening, part], night)).toEqual([evening, night]);
});

test("a session that is pulled elsewhere leaves no pin behind", () => {
  const moved = { start: "01:00", end: "05:30", amps: 10 };
  expect(pinnedToo([evening, night], moved, night)).toEqual([evening, moved]);
});
