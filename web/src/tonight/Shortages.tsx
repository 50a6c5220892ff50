import type { CarTonight } from "../api/client";
import { whatBinds } from "../shared/binds";
import { clock, dayTold, distance, energy, type Manner, percent } from "../shared/format";
import { neededByItself, wantedOrNeeded } from "../shared/needed";
import { WaysOut } from "../shared/WaysOut";
import classes from "./Tonight.module.css";
import { useWayOutTaken } from "./tonight.queries";

interface Props {
  car: CarTonight;
  manner: Manner;
}

/** What a car lacks when it leaves, or when the night ends, and the ways out; and what it lacks by when it was to be ready. */
export function Shortages({ car, manner }: Props) {
  const { departure, not_ready: late, short_end: end } = car;
  return (
    <>
      {departure !== null && departure.short_kwh > 0 && (
        <div className={classes.short}>
          <strong>Short by {distance(departure.short_km, manner)}</strong> ({energy(departure.short_kwh)}) for{" "}
          {dayTold(departure.leave, manner)}: {percent(departure.planned_pct)} of the {percent(departure.required_pct)}{" "}
          {wantedOrNeeded(departure)}. {neededByItself(departure)} {whatBinds(departure.binds)}{" "}
          <Out car={car} by={departure.leave} manner={manner} />
        </div>
      )}
      {late && (
        <div className={classes.short}>
          <strong>Not ready by {clock(late.by, manner)}</strong>: {percent(late.planned_pct)} of the{" "}
          {percent(late.required_pct)} by then, {distance(late.short_km, manner)} less. {whatBinds(late.binds)}{" "}
          <Out car={car} by={late.by} manner={manner} />
        </div>
      )}
      {end && (
        <div className={classes.short}>
          <strong>Short by {distance(end.short_km, manner)}</strong> ({energy(end.short_kwh)}) by{" "}
          {dayTold(end.by, manner)} {clock(end.by, manner)}: {percent(end.planned_pct)} of the{" "}
          {percent(end.required_pct)} wanted then. {whatBinds(end.binds)} <Out car={car} by={end.by} manner={manner} />
        </div>
      )}
    </>
  );
}

function Out({ car, by, manner }: Props & { by: string }) {
  const taking = useWayOutTaken(car.id, by);
  return (
    <>
      <WaysOut car={car.id} by={by} manner={manner} busy={taking.isPending} onTake={taking.mutate} />
      {taking.error && <div role="alert">{taking.error.message}</div>}
    </>
  );
}
