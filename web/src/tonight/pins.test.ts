import { expect, test } from "vitest";
import { isPinned, pinnedToo } from "./pins";

const evening = { start: "19:00", end: "20:00", amps: 8 };
const night = { start: "02:00", end: "06:30", amps: 10 };
const early = { start: "23:15", end: "02:00", amps: 13.5 };
const late = { start: "02:00", end: "02:15", amps: 16 };

const session = (pins: (typeof night)[], parts: number[]) => ({
  start: pins[0]?.start ?? "",
  end: pins.at(-1)?.end ?? "",
  current: "",
  pins,
  parts,
});

test("a second session is pinned besides the first", () => {
  expect(pinnedToo([evening], session([night], []))).toEqual([evening, night]);
});

test("the whole session takes the place of the parts of it that were pinned", () => {
  const middle = { ...night, start: "03:00", end: "03:30" };
  const last = { ...night, start: "06:00" };
  expect(pinnedToo([middle, evening, last], session([night], [0, 2]))).toEqual([evening, night]);
});

test("a session that is pulled elsewhere leaves no pin behind", () => {
  const moved = { start: "01:00", end: "05:30", amps: 10 };
  expect(pinnedToo([evening, night], session([night], [1]), -60)).toEqual([evening, moved]);
});

test("a session at two currents is pinned, pulled and made longer at both", () => {
  expect(pinnedToo([], session([early, late], []))).toEqual([early, late]);
  expect(pinnedToo([], session([early, late], []), 60, 15)).toEqual([
    { start: "00:15", end: "03:00", amps: 13.5 },
    { start: "03:00", end: "03:30", amps: 16 },
  ]);
});

test("made shorter by all of its last part, it is left with the first", () => {
  expect(pinnedToo([], session([early, late], []), 0, -15)).toEqual([early]);
});

test("it is pinned when every part of it is", () => {
  expect(isPinned([early, evening], session([early, late], []))).toBe(false);
  expect(isPinned([early, evening, late], session([early, late], []))).toBe(true);
});
