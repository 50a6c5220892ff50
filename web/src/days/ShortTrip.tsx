import { whatBinds } from "../shared/binds";
import { clock, dayTold, distance, energy, type Manner } from "../shared/format";
import { neededByItself } from "../shared/needed";
import { WaysOut } from "../shared/WaysOut";
import classes from "./Days.module.css";
import type { CarDays, Trip, useDaysEdit } from "./days.queries";

interface Props {
  trip: Trip;
  car: CarDays;
  nights: number;
  manner: Manner;
  edit: ReturnType<typeof useDaysEdit>;
}

/** A short departure: by how much, what binds, and the smallest changes that close it. */
export function ShortTrip({ trip, car, nights, manner, edit }: Props) {
  return (
    <div className={classes.shortRow}>
      <strong>
        {car.name} is short by {distance(trip.short_km, manner)}
      </strong>{" "}
      ({energy(trip.short_kwh)}) for {dayTold(trip.leave, manner)} {clock(trip.leave, manner)}. {neededByItself(trip)}{" "}
      {whatBinds(trip.binds)}{" "}
      {trip.ready_at &&
        `Alone and at full current it would be ready at ${clock(trip.ready_at, manner)}, ${dayTold(trip.ready_at, manner)}.`}{" "}
      {car.under_reserve_from &&
        `It is below its reserve from ${dayTold(car.under_reserve_from, manner)} ${clock(car.under_reserve_from, manner)} on. `}
      <WaysOut
        car={car.id}
        by={trip.leave}
        nights={nights}
        manner={manner}
        busy={edit.isPending}
        onTake={(told) => edit.mutate({ what: "way out", car: car.id, by: trip.leave, told })}
      />
    </div>
  );
}
