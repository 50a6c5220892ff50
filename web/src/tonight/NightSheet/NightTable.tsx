import type { Tonight } from "../../api/client";
import { clock, energy, type Manner, money, percent, price } from "../../shared/format";
import classes from "./NightSheet.module.css";

/** The same night as a table, for those who read rather than look. */
export function NightTable({ plan, manner }: { plan: Tonight; manner: Manner }) {
  return (
    <details className={classes.table}>
      <summary>Read the night as a table</summary>
      <table>
        <caption className="visually-hidden">Sessions of the night</caption>
        <thead>
          <tr>
            {["Car", "From", "To", "Current", "SoC", "Energy", "Own sun", "Cost", "With the sun as free", "Why"].map(
              (name) => (
                <th key={name} scope="col">
                  {name}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {plan.cars.flatMap((car) =>
            car.sessions.map((session) => (
              <tr key={car.id + session.start}>
                <th scope="row">{car.name}</th>
                <td>{clock(session.start, manner)}</td>
                <td>{clock(session.end, manner)}</td>
                <td>{session.current}</td>
                <td>
                  {percent(session.soc_from_pct)} → {percent(session.soc_to_pct)}
                </td>
                <td>{energy(session.wall_kwh)}</td>
                <td>{session.solar_kwh > 0 ? energy(session.solar_kwh) : "none"}</td>
                <td>{money(session.cost, manner)}</td>
                <td>{money(session.cost_sun_free, manner)}</td>
                <td>{session.reason}</td>
              </tr>
            )),
          )}
        </tbody>
      </table>
      <table>
        <caption className="visually-hidden">Prices of the night</caption>
        <thead>
          <tr>
            <th scope="col">From</th>
            <th scope="col">Band</th>
            <th scope="col">Price a kWh</th>
          </tr>
        </thead>
        <tbody>
          {plan.prices.map((run) => (
            <tr key={run.start}>
              <td>{clock(run.start, manner)}</td>
              <td>{run.band}</td>
              <td>{price(run.price)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Surplus plan={plan} manner={manner} />
    </details>
  );
}

/** Sun that the house leaves over, hour by hour, and what of it goes into the cars. */
function Surplus({ plan, manner }: { plan: Tonight; manner: Manner }) {
  const sunny = plan.house.filter((slot) => slot.surplus_kw > 0);
  if (sunny.length === 0) return <p>The house leaves no sun over while this night lasts.</p>;
  return (
    <table>
      <caption className="visually-hidden">Sun that the house leaves over</caption>
      <thead>
        <tr>
          <th scope="col">From</th>
          <th scope="col">Sun</th>
          <th scope="col">House</th>
          <th scope="col">Left over</th>
          <th scope="col">Cars</th>
        </tr>
      </thead>
      <tbody>
        {sunny.map((slot) => (
          <tr key={slot.at}>
            <td>{clock(slot.at, manner)}</td>
            <td>{slot.sun_kw.toFixed(1)} kW</td>
            <td>{slot.base_kw.toFixed(1)} kW</td>
            <td>{slot.surplus_kw.toFixed(1)} kW</td>
            <td>{slot.cars_kw.toFixed(1)} kW</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
