import type { Schemas } from "../../api/client";
import { heights, steps } from "../../shared/axis";
import classes from "./NightSheet.module.css";
import type { Place } from "./place";
import { RowName } from "./RowName";

/** Load of the house as a line; own sun as a wash from above, and what the house leaves of it from below. */
export function House({ slots, ...place }: Place & { slots: Schemas["HouseSlot"][] }) {
  const { x, top, height, end } = place;
  const most = Math.max(1, ...slots.map((slot) => Math.max(slot.base_kw, slot.sun_kw)));
  const y = heights(most, top, top + height);
  const down = heights(most, top + height, top);
  const sun = slots.map((slot) => ({ at: slot.at, value: slot.sun_kw }));
  const first = slots[0];
  if (!first) return null;
  const sunny = sun.some(({ value }) => value > 0);
  const known = slots.some(({ base_kw }) => base_kw > 0);
  return (
    <g>
      <RowName name="House" note={known || sunny ? `kW, to ${most.toFixed(1)}` : "not known"} place={place} />
      {sunny && (
        <path className={classes.sun} d={`${steps(sun, x, down, end)} V ${top} H ${x(new Date(first.at))} Z`} />
      )}
      {sunny && (
        <path
          className={classes.surplus}
          d={`${steps(
            slots.map((slot) => ({ at: slot.at, value: slot.surplus_kw })),
            x,
            y,
            end,
          )} V ${top + height} H ${x(new Date(first.at))} Z`}
        >
          <title>Sun that the house leaves over</title>
        </path>
      )}
      <path
        className={classes.house}
        d={steps(
          slots.map((slot) => ({ at: slot.at, value: slot.base_kw })),
          x,
          y,
          end,
        )}
      />
      <line
        className={classes.base}
        x1={x(new Date(first.at))}
        x2={x(new Date(end))}
        y1={top + height}
        y2={top + height}
      />
    </g>
  );
}
