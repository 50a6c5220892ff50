import { Fragment } from "react";
import type { CarTonight, EveningEdit } from "../api/client";
import { clock, clockTold, day, dayTold, type Manner, toKm, toUnit, unbroken } from "../shared/format";
import { NumberField } from "../shared/NumberField";
import { TimeField } from "../shared/TimeField";
import classes from "./Tonight.module.css";

interface Props {
  car: CarTonight;
  manner: Manner;
  errors: Record<string, string>;
  edit: (fields: Omit<EveningEdit, "versions">) => void;
}

/** The decision for one car: verb, place and time first. Its times and distances are inputs. */
export function Sentence({ car, manner, errors, edit }: Props) {
  return (
    <h2 className={classes.sentence}>
      <Decision car={car} manner={manner} />
      <Leaving car={car} manner={manner} errors={errors} edit={edit} />
    </h2>
  );
}

function Decision({ car, manner }: { car: CarTonight; manner: Manner }) {
  const name = <strong>{car.name}</strong>;
  switch (car.action) {
    case "plug_in":
      return (
        <>
          Plug {name} into the {car.place}{" "}
          {car.plug_in_by === null ? (
            <strong>now</strong>
          ) : (
            <>
              by <strong>{clockTold(car.plug_in_by, manner)}</strong>
            </>
          )}
          {car.in_place_of !== null && ` in place of ${car.in_place_of}`}
          <Again car={car} manner={manner} />, at <strong>{unbroken(car.current ?? "")}</strong>;{" "}
          <Until car={car} manner={manner} />
        </>
      );
    case "go_on":
      return (
        <>
          Leave {name} charging in the {car.place} at {unbroken(car.current ?? "")}
          <Again car={car} manner={manner} />; <Until car={car} manner={manner} />
        </>
      );
    case "keep_plugged_in":
      return (
        <>
          Leave {name} plugged into the {car.place}: it charges on from{" "}
          <strong>{clockTold(car.sessions[0]?.start ?? "", manner)}</strong>, at {unbroken(car.current ?? "")}
          <Again car={car} manner={manner} />; <Until car={car} manner={manner} />
        </>
      );
    case "has_charged":
      return (
        <>
          {name} has charged: {car.why}
        </>
      );
    case "cannot_charge":
      return (
        <>
          {name} does not charge in the {car.place}: {car.why}
        </>
      );
    case "away":
      return <>{name} is out all night</>;
    default:
      return (
        <>
          Leave {name} unplugged tonight: {car.why}
        </>
      );
  }
}

/** By when it is plugged in once more, having been away in between. */
function Again({ car, manner }: { car: CarTonight; manner: Manner }) {
  const what = car.action === "plug_in" ? "again" : "plug it in again";
  return car.plug_in_again.map((by) => (
    <Fragment key={by}>
      , and {what} by <strong>{clockTold(by, manner)}</strong>
    </Fragment>
  ));
}

/** When it is ready; of a car that comes up short, how long it charges. */
function Until({ car, manner }: { car: CarTonight; manner: Manner }) {
  const isShort = car.departure !== null && car.departure.short_kwh > 0;
  return (
    <>
      {isShort ? "charging until" : "ready by"} {clockTold(car.ready_at ?? "", manner)}
    </>
  );
}

function Leaving({ car, manner, errors, edit }: Props) {
  const { leave, km, is_usual: usual } = car.inputs;
  const leaveDay = leave ?? null;
  const tomorrow = new Date(Date.parse(car.tide[0]?.at ?? "") + 24 * 3600_000).toISOString();
  const onDay = day(leaveDay ?? tomorrow, manner);
  const you = car.leaves_first ? ". Before that you" : "; you";
  return (
    <>
      {leaveDay === null
        ? ". No trip is planned: leave at "
        : `${you} ${usual ? "usually " : ""}leave ${dayTold(leaveDay, manner)} `}
      <TimeField
        label="Leaving time"
        value={leaveDay === null ? "" : clock(leaveDay, manner)}
        error={errors.leave ?? errors.back}
        onCommit={(time) => time && edit({ leave: `${onDay}T${time}`, ...(leaveDay === null ? { km: 0 } : {}) })}
      />{" "}
      for{" "}
      <NumberField
        label="Distance"
        unit={manner.distanceUnit}
        value={km === null ? null : Math.round(toUnit(km, manner) * 10) / 10}
        placeholder="–"
        error={errors.km}
        onCommit={(value) => value !== null && edit({ km: toKm(value, manner) })}
      />
      .
    </>
  );
}
