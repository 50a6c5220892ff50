import type { Schemas } from "../api/client";
import { stepped } from "../shared/TimeField";

type Pin = Schemas["PinByHand"];

/**
 * A session pinned besides the others, some minutes later than it is and so much longer; what was pinned of it gives way,
 * and a part of it of which nothing is left is none.
 */
export function pinnedToo(pins: Pin[], session: Schemas["Pinnable"], later = 0, longer = 0): Pin[] {
  const others = pins.filter((_, nth) => !session.parts.includes(nth));
  const mine = session.pins.map((pin, nth) => ({
    ...pin,
    start: stepped(pin.start, later),
    end: stepped(pin.end, nth < session.pins.length - 1 ? later : later + longer),
  }));
  return [...others, ...mine.filter((pin) => pin.start !== pin.end)];
}

/** Whether a session is pinned as it stands. */
export function isPinned(pins: Pin[], session: Schemas["Pinnable"]): boolean {
  return session.pins.every((mine) => pins.some((pin) => pin.start === mine.start && pin.end === mine.end));
}
