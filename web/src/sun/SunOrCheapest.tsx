import { useState } from "react";
import { Link } from "react-router";
import { useHabits } from "../days/days.queries";
import { energy, type Manner, money } from "../shared/format";
import { HABITS } from "../shared/habits";
import page from "../shared/Page.module.css";

const NIGHTS = 7;
const WORDS = Object.fromEntries(HABITS);

/** The sun first against the cheapest hours, on the same days. */
export function SunOrCheapest({ manner }: { manner: Manner }) {
  const [asked, setAsked] = useState(false);
  const habits = useHabits(NIGHTS, asked);
  const two = habits.data?.habits.filter((one) => ["cheapest", "sun_first"].includes(one.habit));
  return (
    <section aria-label="The sun first, or the cheapest hours">
      <h2>The sun first, or the cheapest hours?</h2>
      {!asked && (
        <button type="button" onClick={() => setAsked(true)}>
          Plan the next {NIGHTS} nights both ways
        </button>
      )}
      {asked && habits.isPending && <p role="status">Planning …</p>}
      {habits.error && <p role="alert">{habits.error.message}</p>}
      {two && (
        <table className={page.table}>
          <thead>
            <tr>
              {["", "Own sun", "From the grid", "Cost", "With the sun as free", "Levelled"].map((name) => (
                <th key={name} scope="col">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {two.map(({ habit, totals }) => (
              <tr key={habit}>
                <th scope="row">{WORDS[habit]}</th>
                <td>{energy(totals.solar_kwh)}</td>
                <td>{energy(totals.wall_kwh - totals.solar_kwh)}</td>
                <td>{money(totals.cost, manner)}</td>
                <td>{money(totals.cost_sun_free, manner)}</td>
                <td>{money(totals.level_cost, manner)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {two && (
        <p className={page.note}>
          Own sun costs what it would have earned fed in; levelled means for the same charge left at the end. Every
          habit stands side by side on <Link to="/days">Days</Link>.
        </p>
      )}
    </section>
  );
}
