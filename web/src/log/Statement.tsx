import { useState } from "react";
import { ApiError, type Schemas } from "../api/client";
import { useRowEdit, type Values } from "../household/household.queries";
import { EditProblem } from "../shared/EditProblem";
import {
  counted,
  distance,
  energy,
  hundred,
  type Manner,
  money,
  nightShort,
  perHundred,
  perHundredKm,
} from "../shared/format";
import { NumberField } from "../shared/NumberField";
import page from "../shared/Page.module.css";
import { Scrolled } from "../shared/Scrolled";
import { useStatement, yearAndMonth } from "./log.queries";

function monthTitle(month: string): string {
  const at = new Date(`${month}-15T12:00:00Z`);
  return new Intl.DateTimeFormat("en-GB", { month: "long", year: "numeric", timeZone: "UTC" }).format(at);
}

/** What the same distance had cost on fuel; both figures are the household's own. */
function OnFuel({ told, manner }: { told: Schemas["StatementOut"]; manner: Manner }) {
  const edit = useRowEdit();
  const errors = edit.error instanceof ApiError ? edit.error.byField : {};
  const change = (values: Values) => edit.mutate({ kind: "household", version: told.household_version, values });
  const measure = manner.distanceUnit === "mi" ? "gallon" : "litre";
  return (
    <>
      <p>
        On fuel, at{" "}
        <NumberField
          label={`Fuel per ${hundred(manner)}`}
          unit={`${measure}s`}
          step={0.1}
          value={told.fuel_per_100km === null ? null : perHundred(told.fuel_per_100km, manner)}
          error={errors.fuel_per_100km}
          onCommit={(value) => change({ fuel_per_100km: value === null ? null : perHundredKm(value, manner) })}
        />{" "}
        per {hundred(manner)} and{" "}
        <NumberField
          label="Price of fuel"
          unit={`${manner.currency} a ${measure}`}
          step={0.01}
          value={told.fuel_price}
          error={errors.fuel_price}
          onCommit={(value) => change({ fuel_price: value })}
        />
        {told.on_fuel === null
          ? " it would have come to so much: type both, and it stands here."
          : `, the same distance had cost ${money(told.on_fuel, manner)}.`}
      </p>
      <EditProblem error={edit.error} what="the household" fields={["fuel_per_100km", "fuel_price"]} />
    </>
  );
}

/** A month, as far as it is written down: what came from where, what it cost, and beside it what charging at once had cost. */
export function Statement({ months, manner }: { months: string[]; manner: Manner }) {
  const [picked, setPicked] = useState<string | null>(null);
  const month = months.find((one) => one === picked) ?? months[0] ?? "";
  const statement = useStatement(month);
  const told = statement.data;
  const path = `/api/log/statements/${yearAndMonth(month).join("/")}`;
  return (
    <section aria-labelledby="statement">
      <h2 id="statement">The month</h2>
      <p>
        <select aria-labelledby="statement" value={month} onChange={(event) => setPicked(event.currentTarget.value)}>
          {months.map((one) => (
            <option key={one} value={one}>
              {monthTitle(one)}
            </option>
          ))}
        </select>
        {told && `: ${counted(told.sessions, "session")}, as far as they are written down`}
      </p>
      {statement.error && <p role="alert">{statement.error.message}</p>}
      {told && (
        <>
          <Scrolled label="What was charged, by where it came from">
            <table className={page.table}>
              <thead>
                <tr>
                  <th scope="col">From</th>
                  <th scope="col">Energy</th>
                  <th scope="col">Cost</th>
                </tr>
              </thead>
              <tbody>
                {told.bought.map(({ band, kwh, cost }) => (
                  <tr key={band}>
                    <th scope="row">{band}</th>
                    <td>{energy(kwh)}</td>
                    <td>{money(cost, manner)}</td>
                  </tr>
                ))}
                {told.solar_kwh > 0 && (
                  <tr>
                    <th scope="row">own sun, at the export price given up</th>
                    <td>{energy(told.solar_kwh)}</td>
                    <td>{money(told.cost - told.cost_sun_free, manner)}</td>
                  </tr>
                )}
                <tr data-total>
                  <th scope="row">together</th>
                  <td>{energy(told.wall_kwh)}</td>
                  <td>{money(told.cost, manner)}</td>
                </tr>
              </tbody>
            </table>
          </Scrolled>
          <p>
            {energy(told.battery_kwh)} of it reached the batteries. Charged at once on arrival the same kWh had cost{" "}
            {money(told.at_once, manner)}.{" "}
            {told.km !== null && told.per_100km !== null && told.first && told.last && (
              <>
                From {nightShort(told.first)} to {nightShort(told.last)} the cars drove {distance(told.km, manner)}:{" "}
                {money(perHundred(told.per_100km, manner), manner)} per {hundred(manner)}.{" "}
              </>
            )}
            Fixed charges, which the house pays anyway, come to {money(told.fixed, manner)}
            {month === months[0] && " so far"}.
          </p>
          <OnFuel told={told} manner={manner} />
          <p>
            The month to take away:{" "}
            <a href={`${path}.csv`} download={`${month}.csv`}>
              its sessions (CSV)
            </a>{" "}
            or{" "}
            <a href={`${path}.xlsx`} download={`${month}.xlsx`}>
              sessions and sums (XLSX)
            </a>
            .
          </p>
        </>
      )}
    </section>
  );
}
