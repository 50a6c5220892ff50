import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, api, type Schemas, told } from "../api/client";
import { amps, distance, type Manner } from "../shared/format";
import classes from "./Rates.module.css";
import type { HookupOut } from "./rates.queries";

type Change = Schemas["WhatIf"];

const LINKS: [keyof Change, string, string][] = [
  ["breaker_a", "breaker", "A"],
  ["lead_a", "lead", "A"],
  ["cable_a", "cable", "A"],
  ["onboard_kw", "on-board", "kW"],
  ["ceiling_a", "ceiling", "A"],
  ["phases", "phases", ""],
];

/** The chain link by link, and what another link would change; nothing of it is stored. */
export function WhatIf({ hookup, manner }: { hookup: HookupOut; manner: Manner }) {
  const [texts, setTexts] = useState<Record<string, string>>({});
  const [dedicated, setDedicated] = useState(false);
  const change = changeOf(texts, dedicated);
  const asked = useQuery({
    queryKey: ["what-if", hookup.vehicle, hookup.lead, change],
    placeholderData: (earlier) => earlier,
    retry: false,
    queryFn: () =>
      told(
        api.POST("/api/hookups/{vehicle_id}/{lead_id}/what_if", {
          params: { path: { vehicle_id: Number(hookup.vehicle), lead_id: Number(hookup.lead) } },
          body: change,
        }),
      ),
  });
  const errors = asked.error instanceof ApiError ? asked.error.byField : {};
  const other = Object.keys(change).length > 0;
  return (
    <section aria-label="The chain">
      {asked.data && <Chain outlook={asked.data.now} words="As it is" manner={manner} />}
      <div className={classes.asked}>
        {LINKS.map(([name, label, unit]) => (
          <div key={name} className={classes.field}>
            <label htmlFor={`what-if-${name}`}>What if: {label}</label>
            <span>
              <input
                id={`what-if-${name}`}
                type="text"
                inputMode="decimal"
                autoComplete="off"
                value={texts[name] ?? ""}
                aria-invalid={errors[name] ? true : undefined}
                onChange={(event) => setTexts({ ...texts, [name]: event.currentTarget.value })}
              />{" "}
              {unit}
            </span>
            {errors[name] && (
              <span role="alert" className={classes.wrong}>
                Expected {errors[name]}
              </span>
            )}
          </div>
        ))}
        <label className={classes.flag}>
          <input type="checkbox" checked={dedicated} onChange={(event) => setDedicated(event.currentTarget.checked)} />{" "}
          A dedicated circuit
        </label>
      </div>
      {other && asked.data && !asked.error && <Chain outlook={asked.data.then} words="It would be" manner={manner} />}
      {other && asked.error && Object.keys(errors).length === 0 && <p role="alert">{asked.error.message}</p>}
      {other && (
        <p className={classes.bring}>
          <button
            type="button"
            onClick={() => {
              setTexts({});
              setDedicated(false);
            }}
          >
            Throw it away
          </button>{" "}
          New wiring, breakers and panel work are a licensed electrician's, under your local code.
        </p>
      )}
    </section>
  );
}

function Chain({ outlook, words, manner }: { outlook: Schemas["OutlookOut"]; words: string; manner: Manner }) {
  return (
    <p className={classes.said}>
      {words}:{" "}
      {outlook.links.map((one, nth) => (
        <span key={one.link}>
          {nth > 0 && " → "}
          {one.link === outlook.bottleneck ? (
            <strong>
              {one.link} {amps(one.amps)} (decides)
            </strong>
          ) : (
            `${one.link} ${amps(one.amps)}`
          )}
        </span>
      ))}
      .{" "}
      {outlook.no_charge ? (
        `It does not charge: ${outlook.no_charge}.`
      ) : (
        <>
          {amps(outlook.amps)} on {outlook.phases} {outlook.phases === 1 ? "phase" : "phases"}:{" "}
          {outlook.wall_kw.toFixed(2)} kW at the wall, {outlook.battery_kw.toFixed(2)} into the battery,{" "}
          {distance(outlook.range_km_per_h, manner)} an hour, {distance(outlook.night_km, manner)} by the next departure
          {outlook.hours === null ? "" : `, ${outlook.hours.toFixed(1)} h to the daily limit`}.
          {outlook.next ? ` Then the ${outlook.next} would decide.` : ""}
        </>
      )}
    </p>
  );
}

function changeOf(texts: Record<string, string>, dedicated: boolean): Change {
  const given = Object.entries(texts).filter(([, text]) => text.trim() !== "");
  const values = given.map(([name, text]) => {
    const value = Number(text.replace(",", "."));
    return [name, Number.isNaN(value) ? text : value];
  });
  return { ...Object.fromEntries(values), ...(dedicated ? { dedicated } : {}) };
}
