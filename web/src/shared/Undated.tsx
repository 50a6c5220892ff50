import type { Tonight } from "../api/client";
import { clock, counted, dayTold, type Manner } from "./format";

// With more of them than this the others are counted, not told.
const TOLD = 3;

interface Props {
  plan: Pick<Tonight, "without_dated_price">;
  manner: Manner;
}

/** Says for which hours of a plan no dated price is known, so that the tariff's lines hold. */
export function Undated({ plan, manner }: Props) {
  const missing = plan.without_dated_price;
  if (missing.length === 0) return null;
  const told = (instant: string) => `${dayTold(instant, manner)} ${clock(instant, manner)}`;
  const hours = missing.slice(0, TOLD).map(({ start, end }) => `from ${told(start)} to ${told(end)}`);
  if (missing.length > TOLD) hours.push(`${counted(missing.length - TOLD, "time")} more`);
  return (
    <p className="simulated">
      No dated prices are known {hours.join(", ")}: the tariff's own lines are reckoned with there.
    </p>
  );
}
