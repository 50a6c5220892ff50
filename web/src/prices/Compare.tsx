import { useState } from "react";
import type { Schemas } from "../api/client";
import { distance, hundred, type Manner, money, perHundred } from "../shared/format";
import page from "../shared/Page.module.css";
import { Simulated } from "../shared/Simulated";
import { type Comparison, type Tariff, useComparison } from "./prices.queries";

/** The household's own year under two tariffs or more, planned again under each. */
export function Compare({ tariffs, manner }: { tariffs: Tariff[]; manner: Manner }) {
  const [chosen, setChosen] = useState<number[]>(tariffs.slice(0, 2).map((tariff) => tariff.id));
  const [asked, setAsked] = useState(false);
  const compared = useComparison(chosen, asked);
  const found = asked ? compared.data : undefined;
  if (tariffs.length < 2) {
    return (
      <section aria-label="Tariffs compared">
        <h2>On our own nights</h2>
        <p>Type in a second tariff, and both are laid over your own year: your drives, your habit, your sun.</p>
      </section>
    );
  }
  return (
    <section aria-label="Tariffs compared">
      <h2>On our own nights</h2>
      <p className={page.choice}>
        {tariffs.map((tariff) => (
          <label key={tariff.id}>
            <input
              type="checkbox"
              checked={chosen.includes(tariff.id)}
              onChange={(event) =>
                setChosen(
                  tariffs
                    .map((one) => one.id)
                    .filter((id) => (id === tariff.id ? event.currentTarget.checked : chosen.includes(id))),
                )
              }
            />
            {tariff.name}
          </label>
        ))}
        <button type="button" disabled={chosen.length < 2 || asked} onClick={() => setAsked(true)}>
          Compare them on the year behind
        </button>
      </p>
      {asked && !compared.error && compared.done < compared.of && (
        <p role="status">
          Planning every night of the year behind again, under each: month {compared.done + 1} of {compared.of} …{" "}
          <progress max={compared.of} value={compared.done} aria-label="Months worked out" />
        </p>
      )}
      {compared.error && asked && <p role="alert">{compared.error.message}</p>}
      {found && <Simulated what={found.simulated} />}
      {found && <Turns found={found} manner={manner} />}
      {found && <Totals found={found} manner={manner} />}
      {found && <Months found={found} manner={manner} />}
    </section>
  );
}

function Turns({ found, manner }: { found: Comparison; manner: Manner }) {
  return found.turns.map((turn) => (
    <p key={turn.below + turn.above} className={page.decision}>
      With {distance(turn.now_km_a_month, manner)} a month <strong>{turn.cheaper_now}</strong> is cheaper, by{" "}
      <strong>{money(turn.saves_a_year, manner)} a year</strong>.{" "}
      {turn.km_a_month === null
        ? "No distance changes that."
        : `The order changes at ${distance(turn.km_a_month, manner)} a month: below it ${turn.below} is cheaper, above it ${turn.above}.`}
    </p>
  ));
}

const rowsOf = (manner: Manner): [string, (bill: Schemas["BillOut"]) => string][] => [
  ["Charging the cars", (bill) => money(bill.cars, manner)],
  ["The house, less what is fed in", (bill) => money(bill.house, manner)],
  ["Fixed", (bill) => money(bill.fixed, manner)],
  ["Together", (bill) => money(bill.together, manner)],
  ["A month", (bill) => money(bill.a_month, manner)],
  [`Charging, per ${hundred(manner)}`, (bill) => money(perHundred(bill.cars_per_100km, manner), manner)],
  ["Charging at once on arrival instead", (bill) => money(bill.plug_and_go, manner)],
  ["Own sun in the cars", (bill) => `${bill.solar_kwh.toFixed(0)} of ${bill.wall_kwh.toFixed(0)} kWh`],
  ["Driven", (bill) => distance(bill.km, manner)],
];

function Totals({ found, manner }: { found: Comparison; manner: Manner }) {
  const n = found.months.length;
  return (
    <table className={page.table}>
      <caption>
        {n === found.of ? "The year behind" : `So far, ${n} of ${found.of} months`}: your usual drives and habit, and
        the sun that was.
      </caption>
      <thead>
        <tr>
          <td />
          {found.tariffs.map((tariff) => (
            <th key={tariff.id} scope="col">
              {tariff.name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rowsOf(manner).map(([name, of]) => (
          <tr key={name} data-total={name === "Together" || undefined}>
            <th scope="row">{name}</th>
            {found.totals.map((bill, i) => (
              <td key={found.tariffs[i]?.id}>{of(bill)}</td>
            ))}
          </tr>
        ))}
        {found.totals.some((bill) => bill.undated_part > 0) && (
          <tr>
            <th scope="row">Without a dated price, by the lines</th>
            {found.totals.map((bill, i) => (
              <td key={found.tariffs[i]?.id}>
                {found.tariffs[i]?.dated ? `${(bill.undated_part * 100).toFixed(0)} % of the time` : "–"}
              </td>
            ))}
          </tr>
        )}
      </tbody>
    </table>
  );
}

function Months({ found, manner }: { found: Comparison; manner: Manner }) {
  return (
    <details>
      <summary>Month by month</summary>
      <table className={page.table}>
        <thead>
          <tr>
            <th scope="col">Month</th>
            {found.tariffs.map((tariff) => (
              <th key={tariff.id} scope="col">
                {tariff.name}: together, charging, at once
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {found.months.map((month) => (
            <tr key={month.month}>
              <th scope="row">{month.month}</th>
              {month.bills.map((bill, i) => (
                <td key={found.tariffs[i]?.id}>
                  {money(bill.together, manner)}, {money(bill.cars, manner)}, {money(bill.plug_and_go, manner)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
