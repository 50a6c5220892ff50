import { useState } from "react";
import { Link } from "react-router";
import { ApiError } from "../api/client";
import { useRowEdit } from "../household/household.queries";
import { OutOfDate } from "../shared/anew";
import { EditProblem } from "../shared/EditProblem";
import { counted, energy, isTold, mannerOf, money } from "../shared/format";
import page from "../shared/Page.module.css";
import { Refinement } from "../shared/Refinement";
import { Simulated } from "../shared/Simulated";
import { Undated } from "../shared/Undated";
import { Undo } from "../shared/Undo";
import { Calendars } from "./Calendars";
import classes from "./Days.module.css";
import { DaysSheet } from "./DaysSheet";
import { type Days, useDays, useDaysEdit } from "./days.queries";
import { Habits } from "./Habits";
import { NightRows } from "./NightRows";
import { ShortEnd } from "./ShortEnd";
import { FIELDS } from "./TripForm";
import { WhatIsUsual } from "./WhatIsUsual";

const NIGHTS = [7, 10, 14];

/** The coming nights: every car's tide over the days, its trips, a row a night, and the ways out of a shortage. */
export function DaysScreen() {
  const [nights, setNights] = useState(7);
  const days = useDays(nights);
  if (days.isPending) return <p>Planning the days …</p>;
  if (!days.data) {
    return (
      <p role="alert">
        The days could not be planned: {days.error.message} <Link to="/household">See the household</Link>
      </p>
    );
  }
  return (
    <>
      <OutOfDate error={days.error} />
      <Shown plan={days.data} nights={nights} setNights={setNights} />
    </>
  );
}

function Shown({ plan, nights, setNights }: { plan: Days; nights: number; setNights: (n: number) => void }) {
  const edit = useDaysEdit(nights);
  const [editing, setEditing] = useState<string | null>(null);
  const manner = mannerOf(plan);
  const named = edit.error instanceof ApiError ? Object.keys(edit.error.byField) : [];
  const atItsField = editing !== null && FIELDS.some(({ name }) => named.includes(name));
  const needless = plan.cars
    .flatMap((car) => car.nights)
    .filter((night) => !night.plugged_in && !night.kept_unplugged && !night.away).length;
  return (
    <>
      <div className={page.title}>
        <h1>The days ahead</h1>
        <span role="radiogroup" aria-label="Nights shown" className={classes.choice}>
          {NIGHTS.map((n) => (
            <label key={n}>
              <input type="radio" name="nights" checked={nights === n} onChange={() => setNights(n)} /> {n} nights
            </label>
          ))}
        </span>
        <Refinement of="days" revision={plan.revision} nights={plan.nights} manner={manner} />
        <Undo what={plan.undo} />
      </div>
      {plan.cars.length === 0 ? (
        <p>
          No car is drawn yet. <Link to="/household">Draw your house</Link>, and its coming days are planned here.
        </p>
      ) : (
        <p className={classes.summary}>
          {counted(plan.totals.sessions, "session")}, {money(plan.totals.cost, manner)}
          {isTold(plan.totals.solar_kwh) &&
            ` (${energy(plan.totals.solar_kwh)} own sun; ${money(plan.totals.cost_sun_free, manner)} with the sun as free)`}
          ; {needless > 0 && `${counted(needless, "time")} a car need not be plugged in at all; `}
          {plan.cars.some((car) => car.trips.some((trip) => trip.short_kwh > 0)) ? (
            <strong className={classes.short}>some departure comes up short, see below.</strong>
          ) : (
            "everyone can leave in time."
          )}
        </p>
      )}
      {plan.cars.map((car) => (
        <ShortEnd key={car.id} car={car} plan={plan} manner={manner} edit={edit} />
      ))}
      <Horizon plan={plan} />
      <Simulated what={plan.simulated} />
      <Undated plan={plan} manner={manner} />
      <DaysSheet plan={plan} manner={manner} edit={edit} onOpen={setEditing} />
      {edit.error && !atItsField && (
        <p role="alert" className={page.wrong}>
          {edit.error.message}
        </p>
      )}
      <NightRows plan={plan} manner={manner} edit={edit} editing={editing} setEditing={setEditing} />
      <Habits plan={plan} manner={manner} />
      <WhatIsUsual manner={manner} />
      {plan.cars.length > 0 && <Calendars cars={plan.cars} manner={manner} />}
    </>
  );
}

/** Tonight may look less far ahead than this page: said, with the way to change it. */
function Horizon({ plan }: { plan: Days }) {
  const edit = useRowEdit();
  if (plan.nights_of_tonight >= plan.nights || plan.cars.length === 0) return null;
  return (
    <div className={classes.note}>
      Tonight is planned with {counted(plan.nights_of_tonight, "night")} in view, so its plan may differ.{" "}
      <button
        type="button"
        disabled={edit.isPending}
        onClick={() =>
          edit.mutate({
            kind: "household",
            version: plan.household_version,
            values: { horizon_nights: plan.nights },
          })
        }
      >
        Plan tonight with {plan.nights} nights in view
      </button>
      <EditProblem error={edit.error} what="this" />
    </div>
  );
}
