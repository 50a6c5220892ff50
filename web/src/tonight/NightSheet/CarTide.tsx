import { area, curveLinear, line } from "d3-shape";
import type { ReactNode } from "react";
import type { CarTonight } from "../../api/client";
import { type Heights, heights, type Point, steps } from "../../shared/axis";
import { clock, type Manner, percent } from "../../shared/format";
import water from "../../shared/Tide.module.css";
import classes from "./NightSheet.module.css";
import type { Place } from "./place";
import { RowName } from "./RowName";
import { SessionBlock } from "./SessionBlock";

interface Props extends Place {
  car: CarTonight;
  manner: Manner;
  onTell: (told: string) => void;
}

const BLOCKS = 30;
/** How wide the name of a departure is, about. */
const NAME = 84;
/** How high above a line its name reaches. */
const NAME_HEIGHT = 16;

interface LeaveProps {
  at: Date;
  top: number;
  low: number;
  place: Place;
  children: ReactNode;
}

/** A car's tide: SoC between high water (limit in force) and low water (reserve), with its sessions beneath. */
export function CarTide({ car, manner, onTell, ...place }: Props) {
  const { x, top, height, end } = place;
  const bottom = top + height - BLOCKS - 4;
  const y = heights(100, top + 4, bottom);
  const last = new Date(end);
  const tide = car.tide.filter(({ at }) => new Date(at) <= last);
  const at = (point: Point) => x(new Date(point.at));
  const soc = (point: Point) => y(point.value);
  const curve = line<Point>(at, soc).curve(curveLinear)(tide) ?? "";
  const under = area<Point>(at, bottom, soc).curve(curveLinear)(tide) ?? "";
  const limit = car.limit;
  const firstLimit = limit[0];
  const highest = Math.max(
    1,
    car.limit_a,
    ...car.sessions.flatMap((session) => session.currents.map(({ amps }) => amps)),
  );
  const blocks = heights(highest, bottom + 6, bottom + 4 + BLOCKS);
  return (
    <g>
      <RowName name={car.name} note={`${percent(car.soc_from_pct)} → ${percent(car.soc_to_pct)}`} place={place} />
      <path className={water.water} d={under} />
      <path className={water.highWater} d={steps(limit, x, y, end)} />
      {firstLimit && (
        <text
          className={water.highName}
          x={x(new Date(firstLimit.at)) + 4}
          y={y(firstLimit.value) + (firstLimit.value > 88 ? 13 : -4)}
        >
          limit {percent(firstLimit.value)}
        </text>
      )}
      <line className={water.lowWater} x1={place.left} x2={x(last)} y1={y(car.reserve_pct)} y2={y(car.reserve_pct)} />
      <text className={water.lowName} x={place.left + 8} y={y(car.reserve_pct) + (isJustAbove(car, y) ? 12 : -4)}>
        reserve {percent(car.reserve_pct)}
      </text>
      <path className={water.tide} d={curve} />
      <line className={classes.base} x1={place.left} x2={x(last)} y1={bottom + 4 + BLOCKS} y2={bottom + 4 + BLOCKS} />
      {car.sessions.map((session, i) => (
        <SessionBlock
          // biome-ignore lint/suspicious/noArrayIndexKey: a session that is moved stays the one that has the focus
          key={i}
          car={car}
          session={session}
          nth={i}
          manner={manner}
          x={x}
          end={end}
          blocks={blocks}
          onTell={onTell}
        />
      ))}
      {car.departure && new Date(car.departure.leave) <= last && (
        <Leave at={new Date(car.departure.leave)} top={top} low={bottom + 4 + BLOCKS} place={place}>
          leaves {clock(car.departure.leave, manner)}
        </Leave>
      )}
    </g>
  );
}

/** Whether a car is at first so little above its reserve that the tide goes through the name of the line. */
function isJustAbove(car: CarTonight, y: Heights): boolean {
  const above = y(car.reserve_pct) - y(car.soc_from_pct);
  return above > 0 && above < NAME_HEIGHT;
}

/** When a car leaves; named to the right, where it is away and has no session, if there is room. */
function Leave({ at, top, low, place, children }: LeaveProps) {
  const x = place.x(at);
  const after = place.x(new Date(place.end)) - x > NAME;
  return (
    <g>
      <line className={classes.leave} x1={x} x2={x} y1={top} y2={low} />
      {!place.narrow && (
        <text className={classes.note} x={after ? x + 4 : x - 4} y={low - 10} textAnchor={after ? "start" : "end"}>
          {children}
        </text>
      )}
    </g>
  );
}
