import type { Manner } from "../shared/format";

export function WhatIsUsual(_: { manner: Manner }) {
  return null;
}
