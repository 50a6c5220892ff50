import { ApiError } from "../api/client";
import { useRowEdit, useTypedRow } from "../household/household.queries";
import { BringFile } from "../shared/BringFile";
import { EditProblem } from "../shared/EditProblem";
import { counted, distance, hundred, type Manner, perHundred, toKm, toUnit } from "../shared/format";
import { NumberField } from "../shared/NumberField";
import { TimeField } from "../shared/TimeField";
import classes from "./Days.module.css";
import { OdometerForm } from "./OdometerForm";
import { bringOdometer, type UsualOfCar, useRemoveOdometer, useUsual } from "./usual.queries";

const FIELDS = ["usual_km", "usual_leave", "usual_back"];

/** What the days stand on: each car's usual week, how it was learned, and its odometer. */
export function WhatIsUsual({ manner }: { manner: Manner }) {
  const usual = useUsual();
  if (!usual.data) return usual.error ? <p role="alert">{usual.error.message}</p> : null;
  return (
    <section className={classes.usual} aria-label="Usual days">
      <h2>Usual days</h2>
      <p className={classes.note}>
        Where no trip is named, a day counts with its careful distance: four such days of five were shorter.
      </p>
      {usual.data.cars.map((car) => (
        <UsualCar key={car.id} car={car} manner={manner} />
      ))}
    </section>
  );
}

function UsualCar({ car: known, manner }: { car: UsualOfCar; manner: Manner }) {
  const car = useTypedRow("vehicle", known);
  const edit = useRowEdit();
  const errors = edit.error instanceof ApiError ? edit.error.byField : {};
  const change = (values: Record<string, unknown>) =>
    edit.mutate({ kind: "vehicle", id: car.id, version: car.version, values });
  const consumption = (per100Km: number) => perHundred(per100Km, manner).toFixed(1);
  const typed = Number(perHundred(car.use_kwh_per_100km, manner).toFixed(2));
  const unit = (km: number | null) => (km === null ? null : Math.round(toUnit(km, manner) * 10) / 10);
  return (
    <section aria-label={`Usual days of ${car.name}`} className={classes.usualCar}>
      <h3>{car.name}</h3>
      <div className={classes.week}>
        {car.week.map((day) => (
          <div key={day.weekday}>
            <strong>{day.weekday}</strong>
            <span>{day.typical_km === null ? "not known" : `typical ${distance(day.typical_km, manner)}`}</span>
            <span>{day.careful_km === null ? "" : `careful ${distance(day.careful_km, manner)}`}</span>
            <em>{standsOn(day.source, day.entries)}</em>
            <NumberField
              label={`${car.name} on ${day.weekday}, instead`}
              unit={manner.distanceUnit}
              value={unit(car.usual_km[day.weekday] ?? null)}
              placeholder="–"
              error={errors.usual_km}
              onCommit={(value) => change({ usual_km: { [day.weekday]: value === null ? null : toKm(value, manner) } })}
            />
          </div>
        ))}
      </div>
      <p>
        Such a day's drive begins at{" "}
        <TimeField
          label={`${car.name} usually leaves`}
          value={car.usual_leave}
          error={errors.usual_leave}
          onCommit={(usual_leave) => change({ usual_leave })}
        />{" "}
        and ends at{" "}
        <TimeField
          label={`${car.name} is usually back`}
          value={car.usual_back}
          error={errors.usual_back}
          onCommit={(usual_back) => change({ usual_back })}
        />
        {car.ends_the_day_after && " the day after"}.{" "}
        {car.learned === null ? (
          `Consumption: ${typed} kWh per ${hundred(manner)}, typed. Type the SoC with the odometer, and it is learned.`
        ) : (
          <>
            Consumption typed {typed}, as driven{" "}
            <strong>
              {consumption(car.learned.use_kwh_per_100km)} kWh per {hundred(manner)}
            </strong>{" "}
            (over {distance(car.learned.km, manner)} in {car.learned.stretches} stretches, ±{" "}
            {consumption(car.learned.spread_kwh_per_100km)}).{" "}
            <button
              type="button"
              onClick={() => change({ use_kwh_per_100km: Number(car.learned?.use_kwh_per_100km.toFixed(2)) })}
            >
              Plan with it
            </button>
          </>
        )}
      </p>
      <EditProblem error={edit.error} what={car.name} fields={FIELDS} />
      <OdometerForm car={car} manner={manner} />
      <Readings car={car} manner={manner} />
      <BringFile
        title={`Bring odometer readings of ${car.name} from a file`}
        one="reading"
        send={(body) => bringOdometer(car.id, body)}
      >
        CSV with a heading: day, {manner.distanceUnit}, and soc_pct and charged_kwh where they are known; days as
        2026-01-14.
      </BringFile>
    </section>
  );
}

function Readings({ car, manner }: { car: UsualOfCar; manner: Manner }) {
  const removing = useRemoveOdometer();
  if (car.readings === 0) return <p>No odometer reading yet: one now and then, and the usual days learn themselves.</p>;
  return (
    <details>
      <summary>
        {counted(car.readings, "odometer reading")}, the last of {car.odometer[0]?.day}
      </summary>
      <ul className={classes.readings}>
        {car.odometer.map((reading) => (
          <li key={reading.id}>
            {reading.day}: {distance(reading.km, manner)}
            {reading.soc_pct !== null && `, ${reading.soc_pct} %`}
            {reading.charged_kwh !== null && `, ${reading.charged_kwh} kWh charged since`}{" "}
            <button
              type="button"
              aria-label={`Take away the reading of ${reading.day}`}
              disabled={removing.isPending}
              onClick={() => removing.mutate({ id: reading.id, version: reading.version })}
            >
              Take away
            </button>
          </li>
        ))}
      </ul>
      <EditProblem error={removing.error} what="this reading" />
    </details>
  );
}

function standsOn(source: string, entries: number): string {
  if (source === "typed") return "typed";
  if (source === "nothing") return "";
  return source === "own" ? `from ${entries} days` : `from ${entries} days of its kind`;
}
