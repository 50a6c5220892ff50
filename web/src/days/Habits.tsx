import { useState } from "react";
import { useRowEdit, useTypedRow } from "../household/household.queries";
import { EditProblem } from "../shared/EditProblem";
import { counted, distance, type Manner, money, nightTitle } from "../shared/format";
import { HABITS } from "../shared/habits";
import classes from "./Days.module.css";
import { type CarDays, type Days, useHabits } from "./days.queries";

/** The schools on the same nights, side by side; one is the household's, and a car may have its own. */
export function Habits({ plan, manner }: { plan: Days; manner: Manner }) {
  const [asked, setAsked] = useState(false);
  const habits = useHabits(plan.nights, asked);
  const edit = useRowEdit();
  const nights = plan.cars[0]?.nights.map((night) => night.night) ?? [];
  if (nights.length === 0) return null;
  const words = Object.fromEntries(HABITS);
  return (
    <section className={classes.habits} aria-label="Habits">
      <h2>When to charge: {words[plan.habit]}</h2>
      <p>
        {plan.cars.map((car) => (
          <OwnHabit key={car.id} car={car} edit={edit} />
        ))}
        {!asked && (
          <button type="button" onClick={() => setAsked(true)}>
            Compare the habits on these nights
          </button>
        )}
      </p>
      <EditProblem error={edit.error} what="this" />
      {asked && habits.isPending && <p role="status">Planning these nights under every habit …</p>}
      {habits.error && <p role="alert">{habits.error.message}</p>}
      {habits.data?.habits.map((one) => (
        <div key={one.habit} className={classes.habit} data-chosen={one.habit === plan.habit || undefined}>
          <div
            className={classes.strip}
            role="img"
            aria-label={`plugged in on ${one.nights.length} of ${nights.length} nights`}
          >
            {nights.map((night) => (
              <span key={night} data-on={one.nights.includes(night) || undefined} title={nightTitle(night)} />
            ))}
          </div>
          <p>
            <strong>{words[one.habit]}</strong>: {one.sentence} {counted(one.totals.sessions, "session")} on{" "}
            {counted(one.nights.length, "night")}, {money(one.totals.cost, manner)}, levelled{" "}
            {money(one.totals.level_cost, manner)}; {one.totals.kwh_hours_above_rest.toFixed(0)} kWh·h above the rest
            level;{" "}
            {one.totals.short_kwh > 0
              ? `${one.totals.short_kwh.toFixed(1)} kWh short`
              : one.smallest_margin_km === null
                ? "nobody leaves"
                : `${distance(one.smallest_margin_km, manner)} to spare at the least`}
            .{" "}
            {one.habit === plan.habit ? (
              <em>The household's.</em>
            ) : (
              <button
                type="button"
                disabled={edit.isPending}
                aria-label={`Charge ${words[one.habit]}`}
                onClick={() =>
                  edit.mutate({ kind: "household", version: plan.household_version, values: { habit: one.habit } })
                }
              >
                Make it ours
              </button>
            )}
          </p>
        </div>
      ))}
    </section>
  );
}

/** What a car does instead of what the household does. */
function OwnHabit({ car, edit }: { car: CarDays; edit: ReturnType<typeof useRowEdit> }) {
  const { habit } = useTypedRow("vehicle", { id: Number(car.id), habit: car.habit });
  return (
    <label>
      {car.name}{" "}
      <select
        value={habit ?? ""}
        onChange={(event) =>
          edit.mutate({
            kind: "vehicle",
            id: Number(car.id),
            version: car.version,
            values: { habit: event.currentTarget.value || null },
          })
        }
      >
        <option value="">as the household does</option>
        {HABITS.map(([key, told]) => (
          <option key={key} value={key}>
            {told}
          </option>
        ))}
      </select>
    </label>
  );
}
