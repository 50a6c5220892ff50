import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, told } from "../api/client";
import classes from "./Rates.module.css";
import type { HookupOut } from "./rates.queries";

/** Readings from a CSV file: first what it would bring, then, on request, brought in. And the way out again. */
export function BringReadings({ hookup }: { hookup: HookupOut }) {
  const [text, setText] = useState("");
  const client = useQueryClient();
  const params = { path: { vehicle_id: Number(hookup.vehicle), lead_id: Number(hookup.lead) } };
  const bringing = useMutation({
    mutationFn: (keep: boolean) =>
      told(api.POST("/api/hookups/{vehicle_id}/{lead_id}/table", { params, body: { text, keep } })),
    onSuccess: (brought) => {
      if (brought.kept) client.invalidateQueries();
    },
  });
  const found = bringing.data;
  return (
    <details className={classes.bring}>
      <summary>Bring readings from a file, or take them with you</summary>
      <p>
        CSV with a heading: kind, at, minutes, volts, amps, range_per_h, soc_pct and so on; times with their offset.{" "}
        <a href={`/api/hookups/${hookup.vehicle}/${hookup.lead}/readings.csv`} download={`${hookup.vehicle_name}.csv`}>
          The readings kept here
        </a>{" "}
        are such a file.
      </p>
      <label>
        CSV file{" "}
        <input
          type="file"
          accept=".csv,text/csv"
          onChange={async (event) => {
            setText((await event.currentTarget.files?.[0]?.text()) ?? "");
            bringing.reset();
          }}
        />
      </label>{" "}
      <button type="button" disabled={!text} onClick={() => bringing.mutate(false)}>
        See what it would bring
      </button>
      {bringing.error && <p role="alert">{bringing.error.message}</p>}
      {found && (
        <div aria-live="polite">
          <p>
            {found.kept ? "Brought in" : "It would bring"} {found.new} new {found.new === 1 ? "reading" : "readings"};{" "}
            {found.again} {found.again === 1 ? "is" : "are"} here already.
          </p>
          <ul>
            {found.refused.map((row) => (
              <li key={`${row.line}${row.reason}`}>
                Line {row.line} is refused: {row.reason}
              </li>
            ))}
          </ul>
          {!found.kept && found.new > 0 && (
            <button type="button" onClick={() => bringing.mutate(true)}>
              Bring {found.new === 1 ? "it" : "them"} in
            </button>
          )}
        </div>
      )}
    </details>
  );
}
