import { type PointerEvent, useState } from "react";
import type { Heights, TimeAxis } from "../shared/axis";
import { clock, clockSince, dayTold, distance, type Manner } from "../shared/format";
import { useGathered } from "../shared/gathered";
import { onTheWay } from "../shared/needed";
import classes from "./Days.module.css";
import { type CarDays, shifted, type Trip, type useDaysEdit, useMoving } from "./days.queries";

interface Props {
  trip: Trip;
  car: CarDays;
  manner: Manner;
  x: TimeAxis;
  top: number;
  water: Heights;
  low: number;
  edit: ReturnType<typeof useDaysEdit>;
  onTell: (told: string) => void;
  onOpen: () => void;
  /** Of a usual day: that it becomes a trip, which leaves then by the clock. */
  onBecomes: (leave: string) => void;
}

/** How high the box of a trip is, and how wide a digit of the distance in it. */
export const BOX = 16;
const DIGIT = 7;
const QUARTER_MS = 15 * 60_000;
const STAYS = { minutes: 0 };
const KEYS: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };

/** A trip on the sheet: dragged, or moved with the arrow keys; Enter opens it. */
export function TripMark({ trip, car, manner, x, top, low, edit, onTell, onOpen, onBecomes }: Props) {
  const [drag, setDrag] = useState<{ from: number; by: number } | null>(null);
  const keys = useGathered(STAYS, move);
  const leave = new Date(trip.leave);
  const moving = useMoving(car.id, trip) + keys.sum.minutes;
  const by = (drag?.by ?? 0) + x(new Date(leave.getTime() + moving * 60_000)) - x(leave);
  const leaves = x(leave) + by;
  const to = x(new Date(trip.back)) + by;
  // A trip that is under way has left before the sheet begins.
  const from = Math.max(leaves, x.range()[0] ?? leaves);
  const seen = Math.min(to, x.range()[1] ?? to);
  const far = String(Math.round(Number.parseFloat(distance(trip.km, manner))));
  const told =
    `${car.name}, ${dayTold(trip.leave, manner)} ${clock(trip.leave, manner)} to ${clockSince(trip.back, trip.leave, manner)}, ` +
    `${distance(trip.km, manner)}${trip.summary ? `, ${trip.summary}` : ""}${trip.id === null ? ", a usual day" : ""}` +
    (trip.on_the_way_kwh > 0 ? `, ${onTheWay(trip)}` : "") +
    (trip.short_kwh > 0 ? `, short by ${distance(trip.short_km, manner)}` : "");

  function move({ minutes }: typeof STAYS) {
    if (minutes === 0) return;
    if (trip.id !== null) {
      edit.mutate({ what: "move", trip: trip.id, minutes });
    } else if (edit.isPending) {
      // It may be a trip by then.
      keys.more({ minutes });
    } else {
      const times = shifted(trip, minutes, manner.timezone);
      onBecomes(times.leave);
      const usual = { leave: trip.leave, minutes };
      edit.mutate({ what: "add", trip: { vehicle_id: Number(car.id), km: trip.km, ...times }, usual });
    }
  }

  function drop(event: PointerEvent<SVGGElement>) {
    if (!drag) return;
    event.currentTarget.releasePointerCapture(event.pointerId);
    const later = x.invert(x(leave) + drag.by).getTime() - leave.getTime();
    setDrag(null);
    if (Math.abs(drag.by) < 3) onOpen();
    else move({ minutes: Math.round(later / QUARTER_MS) * 15 });
  }

  return (
    <g className={trip.short_kwh > 0 ? classes.shortTrip : classes.trip}>
      <g
        role="button"
        tabIndex={0}
        aria-label={`${told}. Enter opens it; arrow keys move it`}
        onFocus={() => onTell(`${told}.`)}
        onMouseEnter={() => onTell(`${told}.`)}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag({ from: event.clientX, by: 0 });
        }}
        onPointerMove={(event) => drag && setDrag({ ...drag, by: event.clientX - drag.from })}
        onPointerUp={drop}
        onPointerCancel={() => setDrag(null)}
        onKeyDown={(event) => {
          const way = KEYS[event.key];
          if (way) {
            event.preventDefault();
            keys.more({ minutes: way * (event.shiftKey ? 24 * 60 : 15) });
          }
          if (event.key === "Enter") onOpen();
        }}
      >
        <rect x={from} y={top} width={Math.max(4, to - from)} height={BOX} />
        {from === leaves && <line x1={from} x2={from} y1={top} y2={low} />}
      </g>
      {seen - from > DIGIT * far.length + 4 && (
        <text className={classes.far} x={(from + seen) / 2} y={top + BOX - 4} textAnchor="middle">
          {far}
        </text>
      )}
      {trip.short_kwh > 0 && (
        <text x={from - 4} y={low - 4} textAnchor="end">
          short {distance(trip.short_km, manner)}
        </text>
      )}
    </g>
  );
}
