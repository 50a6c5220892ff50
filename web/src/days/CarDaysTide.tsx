import { area, line } from "d3-shape";
import { useRef } from "react";
import { heights, type Point, steps, type TimeAxis } from "../shared/axis";
import { clock, dayTold, distance, energy, type Manner, money, percent } from "../shared/format";
import { fitted } from "../shared/names";
import { SessionShape } from "../shared/SessionShape";
import water from "../shared/Tide.module.css";
import { wall } from "../shared/wall";
import classes from "./Days.module.css";
import type { CarDays, Trip, useDaysEdit } from "./days.queries";
import { BOX, TripMark } from "./TripMark";

interface Props {
  car: CarDays;
  manner: Manner;
  x: TimeAxis;
  top: number;
  height: number;
  left: number;
  narrow: boolean;
  end: string;
  edit: ReturnType<typeof useDaysEdit>;
  onTell: (told: string) => void;
  onOpen: (trip: string) => void;
}

const TRIPS = BOX + 8;
const BLOCKS = 22;

/** One car's tide over the days: floods at sessions, ebbs at trips, between the limit in force and the reserve. */
export function CarDaysTide({ car, manner, x, top, height, left, narrow, end, edit, onTell, onOpen }: Props) {
  const marks = useMarks(manner.timezone);
  const high = top + TRIPS + (narrow ? 16 : 0);
  const low = top + height - BLOCKS - 18;
  const y = heights(100, high, low);
  const at = (point: Point) => x(new Date(point.at));
  const soc = (point: Point) => y(point.value);
  const most = Math.max(1, ...car.sessions.flatMap((session) => session.currents.map(({ amps }) => amps)));
  const blocks = heights(most, low + 4, low + BLOCKS);
  return (
    <g>
      <text className={classes.name} x={narrow ? left : 0} y={narrow ? top + 12 : high - 4}>
        <title>{car.name}</title>
        {narrow ? car.name : fitted(car.name, left)}
      </text>
      <path className={water.water} d={area<Point>(at, low, soc)(car.tide) ?? ""} />
      <path className={water.highWater} d={steps(car.limit, x, y, end)} />
      <line
        className={water.lowWater}
        x1={left}
        x2={x(new Date(end))}
        y1={y(car.reserve_pct)}
        y2={y(car.reserve_pct)}
      />
      {!narrow && (
        <>
          <text className={water.lowName} x={left - 6} y={y(car.reserve_pct) + 4} textAnchor="end">
            reserve {percent(car.reserve_pct)}
          </text>
          <text className={water.highName} x={left - 6} y={y(car.daily_limit_pct) + 4} textAnchor="end">
            limit {percent(car.daily_limit_pct)}
          </text>
        </>
      )}
      <path className={water.tide} d={line<Point>(at, soc)(car.tide) ?? ""} />
      {car.sessions.map((session) => {
        const told =
          `${car.name}, ${dayTold(session.start, manner)} ${clock(session.start, manner)}–${clock(session.end, manner)}, ` +
          `${session.current}: ${percent(session.soc_from_pct)} to ${percent(session.soc_to_pct)}, ` +
          `${energy(session.wall_kwh)}, ${money(session.cost, manner)}, ${distance(session.range_km, manner)}; ${session.reason}.`;
        return (
          <g
            key={session.start}
            role="button"
            tabIndex={0}
            aria-label={told}
            className={water.session}
            onFocus={() => onTell(told)}
            onMouseEnter={() => onTell(told)}
            onClick={() => onTell(told)}
            onKeyDown={(event) => event.key === "Enter" && onTell(told)}
          >
            <SessionShape session={session} x={x} blocks={blocks} end={end} />
          </g>
        );
      })}
      {car.trips.map((trip) => (
        <TripMark
          key={marks.keyOf(trip)}
          trip={trip}
          car={car}
          manner={manner}
          x={x}
          top={high - TRIPS + 4}
          water={y}
          low={low}
          edit={edit}
          onTell={onTell}
          onOpen={() => onOpen(`${car.id} ${trip.leave}`)}
          onBecomes={(leave) => marks.becomes(trip, leave)}
        />
      ))}
    </g>
  );
}

/** The marks of trips by what stays the same: a usual day that is moved becomes a trip, and its mark stays, with the focus. */
function useMarks(timezone: string) {
  const ofTrips = useRef(new Map<number, string>());
  const becoming = useRef(new Map<string, string>());
  return {
    becomes: (usual: Trip, leave: string) => becoming.current.set(leave, usual.leave),
    keyOf({ id, leave }: Trip): string {
      if (id === null) return leave;
      const key = ofTrips.current.get(id) ?? becoming.current.get(wall(leave, timezone)) ?? String(id);
      ofTrips.current.set(id, key);
      return key;
    },
  };
}
