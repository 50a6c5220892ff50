import type { Schemas } from "../api/client";

type Pin = Schemas["PinByHand"];

/** A session pinned besides the others, or elsewhere than it is; what was pinned of it gives way. */
export function pinnedToo(
  pins: Pin[],
  { parts, ...session }: Schemas["Pinnable"],
  elsewhere: Partial<Pin> = {},
): Pin[] {
  return [...pins.filter((_, nth) => !parts.includes(nth)), { ...session, ...elsewhere }];
}
