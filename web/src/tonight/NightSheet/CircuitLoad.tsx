import type { Schemas } from "../../api/client";
import { heights, steps } from "../../shared/axis";
import { amps } from "../../shared/format";
import water from "../../shared/Tide.module.css";
import classes from "./NightSheet.module.css";
import type { Place } from "./place";
import { RowName } from "./RowName";

/** Offered current on a circuit, a thin strip against its limit. */
export function CircuitLoad({ circuit, ...place }: Place & { circuit: Schemas["CircuitLoad"] }) {
  const { x, top, height, end } = place;
  const load = circuit.load;
  const most = Math.max(circuit.limit_a, ...load.map(({ value }) => value)) * 1.15;
  const y = heights(most, top, top + height);
  const first = load[0];
  if (!first) return null;
  return (
    <g>
      <RowName name={circuit.name} note={`of ${amps(circuit.limit_a)}`} place={place} />
      <path className={classes.load} d={`${steps(load, x, y, end)} V ${top + height} H ${x(new Date(first.at))} Z`} />
      <line
        className={water.highWater}
        x1={place.left}
        x2={x(new Date(end))}
        y1={y(circuit.limit_a)}
        y2={y(circuit.limit_a)}
      />
      <line className={classes.base} x1={place.left} x2={x(new Date(end))} y1={top + height} y2={top + height} />
    </g>
  );
}
