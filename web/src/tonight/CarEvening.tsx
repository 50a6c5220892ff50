import { Link } from "react-router";
import type { CarTonight, Schemas } from "../api/client";
import { ApiError } from "../api/client";
import {
  clock,
  clockTold,
  dayTold,
  distance,
  energy,
  isTold,
  type Manner,
  money,
  percent,
  unbroken,
} from "../shared/format";
import { NumberField } from "../shared/NumberField";
import { ByHand } from "./ByHand";
import { Conflict } from "./Conflict";
import { EveningInputs } from "./EveningInputs";
import { MarginNotes } from "./MarginNotes";
import { Sentence } from "./Sentence";
import { Shortages } from "./Shortages";
import classes from "./Tonight.module.css";
import { type Edit, useEveningEdit } from "./tonight.queries";

interface Props {
  car: CarTonight;
  manner: Manner;
  cautions: Schemas["CautionTonight"][];
}

/** One car's evening: the decision in a sentence whose numbers are the inputs, and what belongs beside it. */
export function CarEvening({ car: known, manner, cautions }: Props) {
  const editing = useEveningEdit(known);
  const car = editing.isPending ? { ...known, inputs: asTyped(known, editing.typed) } : known;
  const { edit } = editing;
  const problem = editing.error instanceof ApiError ? editing.error : undefined;
  const errors = problem?.status === 422 ? { ...problem.byField, ...problem.byPath } : {};
  const told = ["soc_pct", "leave", "km", "limit_pct", "ceiling_a", "ready_by"];
  const byHand = /^(pins|keep_off)\b/;
  const elsewhere = problem?.status === 409 ? undefined : editing.error;
  return (
    <section className={classes.car} aria-label={car.name} aria-busy={editing.isPending}>
      {problem?.status === 409 && editing.variables && (
        <Conflict
          problem={problem.problem}
          carId={known.id}
          mine={overTheirs(editing.variables, problem.problem.version ?? 0)}
          manner={manner}
          onMine={editing.mutate}
          onTheirs={() => editing.reset()}
        />
      )}
      <div>
        <Sentence car={car} manner={manner} errors={errors} edit={edit} />
        <p className={classes.figures}>
          <span>
            <NumberField
              label="SoC now"
              unit="%"
              value={car.inputs.soc_pct}
              error={errors.soc_pct}
              onCommit={(value) => value !== null && edit({ soc_pct: value })}
            />{" "}
            → {percent(car.soc_to_pct)}
          </span>
          {car.sessions.length > 0 && (
            <>
              <span>{energy(car.wall_kwh)}</span>
              <span>{money(car.cost, manner)}</span>
              <span>{distance(car.range_km, manner)} of range</span>
              {isTold(car.solar_kwh) && (
                <span>
                  {energy(car.solar_kwh)} own sun; {money(car.cost_sun_free, manner)} with the sun as free
                </span>
              )}
            </>
          )}
        </p>
        <p className={classes.why}>
          <Because car={car} manner={manner} />
          {car.rate_source === "assumed" && (
            <>
              {" "}
              Charge rate assumed, not measured: <Link to="/rates">take a reading</Link>.
            </>
          )}
          <WhatSocStandsOn inputs={car.inputs} manner={manner} />
        </p>
        <Shortages car={car} manner={manner} />
        {car.departure !== null && car.departure.on_the_way_kwh > 0 && (
          <p className={classes.short}>
            Charge on the way: {energy(car.departure.on_the_way_kwh)} beyond a full battery.
          </p>
        )}
        <EveningInputs car={car} manner={manner} errors={errors} edit={edit} />
        <ByHand car={car} errors={errors} edit={edit} />
        {elsewhere && !Object.keys(errors).some((field) => told.includes(field) || byHand.test(field)) && (
          <p role="alert" className={classes.short}>
            {elsewhere.message}
          </p>
        )}
      </div>
      <MarginNotes car={car} manner={manner} cautions={cautions} />
    </section>
  );
}

/** Why it charges when it does; of several sessions, why each. */
function Because({ car, manner }: { car: CarTonight; manner: Manner }) {
  const { sessions } = car;
  if (sessions.length === 0) return null;
  if (sessions.length === 1) return unbroken(`Because: ${car.why}.`);
  return sessions.map(({ start, reason }, nth) => (
    <span key={start}>
      {unbroken(`${nth === 0 ? "Because: from" : " From"} ${clockTold(start, manner)} ${reason}.`)}
    </span>
  ));
}

/** Where nobody has read the SoC lately, what it is taken for. */
function WhatSocStandsOn({ inputs, manner }: { inputs: CarTonight["inputs"]; manner: Manner }) {
  const read = inputs.soc_read;
  if (read === null) return <> SoC not read yet: type what the car shows.</>;
  if (!inputs.soc_reckoned) return null;
  return (
    <>
      {" "}
      SoC reckoned: {unbroken(percent(read.pct))} read {dayTold(read.at, manner)} {clock(read.at, manner)}, and since
      then as planned. Type what the car shows where it differs.
    </>
  );
}

/** The inputs as they will be once the server has answered. */
function asTyped(car: CarTonight, { versions: _, ...typed }: Edit): CarTonight["inputs"] {
  const { soc_pct, plugged_in, pins, keep_off, ...others } = typed;
  return {
    ...car.inputs,
    ...others,
    soc_pct: soc_pct ?? car.inputs.soc_pct,
    plugged_in: plugged_in ?? car.inputs.plugged_in,
    pins: pins ?? car.inputs.pins,
    keep_off: keep_off ?? car.inputs.keep_off,
    leave: car.inputs.leave,
  };
}

/** The same edit, made knowingly on top of what the other person left. */
function overTheirs(edit: Edit, version: number): Edit {
  const kind =
    "soc_pct" in edit ? "soc" : "leave" in edit || "km" in edit ? "trip" : "habit" in edit ? "vehicle" : "evening";
  return { ...edit, versions: { ...edit.versions, [kind]: version } };
}
