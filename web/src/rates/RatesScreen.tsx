import { useState } from "react";
import { Link } from "react-router";
import { BringFile } from "../shared/BringFile";
import { amps, counted, mannerOf } from "../shared/format";
import page from "../shared/Page.module.css";
import { Currents } from "./Currents";
import { RateLine } from "./RateLine";
import classes from "./Rates.module.css";
import { ReadingForm } from "./ReadingForm";
import { ReadingList } from "./ReadingList";
import { bringReadings, type HookupOut, useHookups } from "./rates.queries";
import { WhatIf } from "./WhatIf";

const LAST = "moonplan-hookup";

/** What really reaches each battery: readings, the rate they come to, and every current side by side. */
export function RatesScreen() {
  const hookups = useHookups();
  const [chosen, setChosen] = useState(() => localStorage.getItem(LAST));
  if (hookups.isPending) return <p>Reading the readings …</p>;
  if (!hookups.data) {
    return (
      <p role="alert">
        The rates could not be shown: {hookups.error?.message} <Link to="/household">See the household</Link>
      </p>
    );
  }
  const all = hookups.data;
  const hookup = all.hookups.find((one) => keyOf(one) === chosen) ?? all.hookups[0];
  if (!hookup) {
    return (
      <p>
        No car is drawn yet. <Link to="/household">Draw your house</Link>, and what its cars really take is measured
        here.
      </p>
    );
  }
  const manner = mannerOf(all);
  return (
    <>
      <div className={`${page.title} ${classes.title}`}>
        <h1>Charge rates</h1>
        <label>
          Hook-up{" "}
          <select
            value={keyOf(hookup)}
            onChange={(event) => {
              setChosen(event.currentTarget.value);
              localStorage.setItem(LAST, event.currentTarget.value);
            }}
          >
            {all.hookups.map((one) => (
              <option key={keyOf(one)} value={keyOf(one)}>
                {one.vehicle_name} on the {one.lead_name}, {one.place}
              </option>
            ))}
          </select>
        </label>
      </div>
      <Summary hookup={hookup} />
      <div className={classes.columns}>
        <ReadingForm key={keyOf(hookup)} hookup={hookup} all={all} manner={manner} />
        <RateLine hookup={hookup} />
      </div>
      <h2>Readings</h2>
      <ReadingList hookup={hookup} manner={manner} />
      <BringFile
        key={`${keyOf(hookup)} file`}
        title="Bring readings from a file, or take them with you"
        one="reading"
        send={(body) => bringReadings(hookup, body)}
      >
        CSV with a heading: kind, at, minutes, volts, amps, range_per_h, soc_pct and so on; times with their offset.{" "}
        <a href={`/api/hookups/${hookup.vehicle}/${hookup.lead}/readings.csv`} download={`${hookup.vehicle_name}.csv`}>
          The readings kept here
        </a>{" "}
        are such a file.
      </BringFile>
      <h2>The chain</h2>
      <WhatIf key={`${keyOf(hookup)} chain`} hookup={hookup} manner={manner} />
      <h2>Currents</h2>
      <Currents hookup={hookup} manner={manner} />
    </>
  );
}

function keyOf(hookup: HookupOut): string {
  return `${hookup.vehicle}/${hookup.lead}`;
}

function Summary({ hookup }: { hookup: HookupOut }) {
  const fitted = hookup.readings.filter((reading) => reading.fitted).length;
  return (
    <p className={classes.summary}>
      {hookup.source === "measured" ? (
        <>
          <strong>Measured</strong>, from {counted(fitted, "reading")}:{" "}
        </>
      ) : (
        <>
          <strong>Assumed</strong>, nothing is measured yet:{" "}
        </>
      )}
      {(hookup.efficiency * 100).toFixed(1)} % of the wall's power is stored, less {hookup.overhead_kw.toFixed(2)} kW
      that the car burns while it charges. Up to {amps(hookup.limit_a)} on {counted(hookup.phases, "phase")} at{" "}
      {hookup.volts} V. <em>{hookup.advice}</em>
    </p>
  );
}
