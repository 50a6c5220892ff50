import { useState } from "react";
import { whatBinds } from "../shared/binds";
import { clock, distance, energy, type Manner, money, weekday } from "../shared/format";
import { neededByItself } from "../shared/needed";
import classes from "./Days.module.css";
import { type CarDays, type Trip, type useDaysEdit, useWaysOut } from "./days.queries";

interface Props {
  trip: Trip;
  car: CarDays;
  nights: number;
  manner: Manner;
  edit: ReturnType<typeof useDaysEdit>;
}

/** A short departure: by how much, what binds, and the smallest changes that close it. */
export function WaysOut({ trip, car, nights, manner, edit }: Props) {
  const [asked, setAsked] = useState(false);
  return (
    <div className={classes.shortRow}>
      <strong>
        {car.name} is short by {distance(trip.short_km, manner)}
      </strong>{" "}
      ({energy(trip.short_kwh)}) for {weekday(trip.leave, manner)} {clock(trip.leave, manner)}. {neededByItself(trip)}{" "}
      {whatBinds(trip.binds)}{" "}
      {trip.ready_at &&
        `Alone and at full current it would be ready at ${clock(trip.ready_at, manner)}, ${weekday(trip.ready_at, manner)}.`}{" "}
      {car.under_reserve_from &&
        `It is below its reserve from ${weekday(car.under_reserve_from, manner)} ${clock(car.under_reserve_from, manner)} on. `}
      {!asked && (
        <button type="button" onClick={() => setAsked(true)}>
          Ways out
        </button>
      )}
      {asked && <Ways {...{ trip, car, nights, manner, edit }} />}
    </div>
  );
}

function Ways({ trip, car, nights, manner, edit }: Props) {
  const ways = useWaysOut(car.id, trip.leave, nights);
  if (ways.isPending) return <p role="status">Planning with each change …</p>;
  if (ways.error) return <p role="alert">{ways.error.message}</p>;
  if (ways.data.ways.length === 0) return <p>No change that is tried here helps.</p>;
  return (
    <ul className={classes.ways}>
      {ways.data.ways.map((way) => (
        <li key={way.told}>
          <button
            type="button"
            disabled={edit.isPending}
            onClick={() => edit.mutate({ what: "way out", car: car.id, leave: trip.leave, told: way.told })}
          >
            {way.told.charAt(0).toUpperCase() + way.told.slice(1)}
          </button>{" "}
          {way.closes ? "closes it" : `leaves ${energy(way.short_kwh)} short`},{" "}
          {way.cost >= 0 ? `${money(way.cost, manner)} more` : `${money(-way.cost, manner)} less`} at home
        </li>
      ))}
    </ul>
  );
}
