import { whatBinds } from "../shared/binds";
import { clock, dayTold, distance, energy, type Manner, percent } from "../shared/format";
import { WaysOut } from "../shared/WaysOut";
import classes from "./Days.module.css";
import type { CarDays, Days, useDaysEdit } from "./days.queries";

interface Props {
  car: CarDays;
  plan: Days;
  manner: Manner;
  edit: ReturnType<typeof useDaysEdit>;
}

/** What a car lacks when the last of the nights is over: nothing leaves short by it, but what comes next may. */
export function ShortEnd({ car, plan, manner, edit }: Props) {
  const { end } = car;
  if (!end || end.short_kwh <= 0) return null;
  return (
    <div className={classes.shortEnd}>
      <strong className={classes.short}>
        {car.name} is short by {distance(end.short_km, manner)}
      </strong>{" "}
      ({energy(end.short_kwh)}) when these nights end, {dayTold(plan.end, manner)} {clock(plan.end, manner)}:{" "}
      {percent(end.planned_pct)} of the {percent(end.required_pct)} wanted for what comes next. {whatBinds(end.binds)}{" "}
      <WaysOut
        car={car.id}
        by={plan.end}
        nights={plan.nights}
        manner={manner}
        busy={edit.isPending}
        onTake={(told) => edit.mutate({ what: "way out", car: car.id, by: plan.end, told })}
      />
    </div>
  );
}
