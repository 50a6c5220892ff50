import { clock, clockSince, distance, type Manner, unbroken, weekday } from "../shared/format";
import { onTheWay } from "../shared/needed";
import classes from "./Days.module.css";
import type { Trip } from "./days.queries";

interface Props {
  trip: Trip;
  manner: Manner;
  open: boolean;
  onOpen: () => void;
}

/** A trip in a line; pressed, it opens. A usual day's says that it is one. */
export function TripChip({ trip, manner, open, onOpen }: Props) {
  return (
    <button
      type="button"
      className={classes.chip}
      data-usual={trip.id === null || undefined}
      aria-expanded={open}
      onClick={onOpen}
    >
      {weekday(trip.leave, manner).slice(0, 3)} {clock(trip.leave, manner)}–{clockSince(trip.back, trip.leave, manner)},{" "}
      {distance(trip.km, manner)}
      {trip.fill && ", full"}
      {trip.gain_kwh > 0 && `, ${unbroken(`${trip.gain_kwh} kWh there`)}`}
      {trip.on_the_way_kwh > 0 && `, ${unbroken(onTheWay(trip))}`}
      {trip.summary && `, ${trip.summary}`}
      {trip.id === null && " (usual)"}
    </button>
  );
}
