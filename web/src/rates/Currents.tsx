import { distance, hundred, type Manner, money, perHundred } from "../shared/format";
import { Scrolled } from "../shared/Scrolled";
import classes from "./Rates.module.css";
import type { HookupOut } from "./rates.queries";

/** Every current that the hook-up can be set to, side by side. */
export function Currents({ hookup, manner }: { hookup: HookupOut; manner: Manner }) {
  if (hookup.currents.length === 0) return <p>This hook-up does not charge: its chain leaves too little current.</p>;
  return (
    <Scrolled label="Currents side by side">
      <table className={classes.table}>
        <caption>
          Every current side by side; hours are from {Math.round(hookup.soc_from_pct)} to{" "}
          {Math.round(hookup.soc_to_pct)} %, and what slowness costs is per {hundred(manner)} beside the highest.
        </caption>
        <thead>
          <tr>
            <th scope="col">A</th>
            <th scope="col">wall kW</th>
            <th scope="col">battery kW</th>
            <th scope="col">lost</th>
            <th scope="col">an hour</th>
            <th scope="col">hours</th>
            <th scope="col">slowness costs</th>
          </tr>
        </thead>
        <tbody>
          {hookup.currents.map((row) => (
            <tr key={row.amps} data-recommended={row.recommended || undefined}>
              <th scope="row">
                {row.amps}
                {row.recommended ? " ✓ for hours" : ""}
              </th>
              <td>{row.wall_kw.toFixed(2)}</td>
              <td>{row.battery_kw.toFixed(2)}</td>
              <td>{(row.lost * 100).toFixed(0)} %</td>
              <td>{distance(row.range_km_per_h, manner)}</td>
              <td>{row.hours === null ? "never" : row.hours.toFixed(1)}</td>
              <td>
                {row.extra_kwh_per_100km === null || row.extra_cost === null
                  ? "–"
                  : `${perHundred(row.extra_kwh_per_100km, manner).toFixed(2)} kWh, ${money(perHundred(row.extra_cost, manner), manner)}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Scrolled>
  );
}
