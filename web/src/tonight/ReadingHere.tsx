import { useState } from "react";
import type { CarTonight } from "../api/client";
import { ReadingForm } from "../rates/ReadingForm";
import { type Hookups, useHookups } from "../rates/rates.queries";
import type { Manner } from "../shared/format";
import classes from "./Tonight.module.css";

/** The reading of the session that runs, taken right where the plan says what it should show. */
export function ReadingHere({ car, manner }: { car: CarTonight; manner: Manner }) {
  const [open, setOpen] = useState(false);
  return (
    <details className={classes.byHand} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>It charges: type what it shows</summary>
      {open && <Form car={car} manner={manner} />}
    </details>
  );
}

function Form({ car, manner }: { car: CarTonight; manner: Manner }) {
  const hookups = useHookups();
  const hookup = hookups.data?.hookups.find((one) => one.vehicle === car.id);
  if (!hookup) return <p>{hookups.error ? hookups.error.message : "…"}</p>;
  return <ReadingForm hookup={hookup} all={hookups.data as Hookups} manner={manner} plain />;
}
