import type { Tonight } from "../../api/client";
import { hours } from "../../shared/axis";
import { clock, type Manner } from "../../shared/format";
import classes from "./NightSheet.module.css";
import type { Place } from "./place";

/** How far apart hours are marked: a label is 36 wide, and at either end it is moved inwards by half of that. */
const APART = 54;

interface Props extends Omit<Place, "top"> {
  plan: Tonight;
  manner: Manner;
}

/** Hours, dusk and dawn; the dark hours are washed. */
export function HourLines({ plan, manner, height, x, left, narrow }: Props) {
  const [start, end] = x.domain() as [Date, Date];
  const clamp = (at: string | null, other: Date) =>
    at === null ? null : x(new Date(Math.max(+start, Math.min(+end, +new Date(at)))) ?? other);
  const dusk = clamp(plan.dusk, start);
  const dawn = clamp(plan.dawn, end);
  return (
    <g>
      {dusk !== null && dawn !== null && dawn > dusk && (
        <rect className={classes.dark} x={dusk} y={20} width={dawn - dusk} height={height - 20} />
      )}
      {hours(x, APART, manner).map((hour) => (
        <g key={+hour}>
          <line className={classes.hour} x1={x(hour)} x2={x(hour)} y1={20} y2={height} />
          <text
            className={classes.clock}
            x={x(hour)}
            y={13}
            textAnchor={x(hour) < left + 14 ? "start" : x(hour) > x(end) - 14 ? "end" : "middle"}
          >
            {clock(hour.toISOString(), manner)}
          </text>
        </g>
      ))}
      {!narrow && plan.dawn !== null && dawn !== null && dawn < x(end) && (
        <text className={classes.note} x={dawn + 4} y={height - 4}>
          dawn {clock(plan.dawn, manner)}
        </text>
      )}
    </g>
  );
}
