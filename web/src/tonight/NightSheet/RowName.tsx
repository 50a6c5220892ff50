import { fitted } from "../../shared/names";
import classes from "./NightSheet.module.css";
import type { Place } from "./place";

/** The name of a row: beside it at the desk, above it on a phone. */
export function RowName({ name, note, place }: { name: string; note?: string; place: Place }) {
  if (place.narrow) {
    return (
      <text className={classes.name} x={place.left} y={place.top - 4}>
        {name} {note && <tspan className={classes.note}>{note}</tspan>}
      </text>
    );
  }
  return (
    <text className={classes.name} x={0} y={place.top + 12}>
      <title>{name}</title>
      {fitted(name, place.left)}
      {note && (
        <tspan className={classes.note} x={0} dy={15}>
          {note}
        </tspan>
      )}
    </text>
  );
}
