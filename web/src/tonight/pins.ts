import type { Schemas } from "../api/client";

type Pin = Schemas["PinByHand"];

/** A session pinned besides the others; one that it begins or ends with was a part of it, and gives way. */
export function pinnedToo(pins: Pin[], session: Pin, was: Pin = session): Pin[] {
  return [...pins.filter((pin) => pin.start !== was.start && pin.end !== was.end), session];
}
