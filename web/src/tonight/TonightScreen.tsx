import { Link } from "react-router";
import type { Tonight } from "../api/client";
import { OutOfDate } from "../shared/anew";
import { mannerOf, nightTitle } from "../shared/format";
import { Moon } from "../shared/Moon";
import { Refinement } from "../shared/Refinement";
import { Undo } from "../shared/Undo";
import { CarEvening } from "./CarEvening";
import { LastNight } from "./LastNight";
import { NightSheet } from "./NightSheet/NightSheet";
import classes from "./Tonight.module.css";
import { useTonight } from "./tonight.queries";

export function TonightScreen() {
  const tonight = useTonight();
  if (tonight.isPending) return <p>Planning the night …</p>;
  if (!tonight.data) {
    return (
      <p role="alert">
        The night could not be planned: {tonight.error.message} <Link to="/household">See the household</Link>
      </p>
    );
  }
  return (
    <>
      <OutOfDate error={tonight.error} />
      <Shown plan={tonight.data} />
    </>
  );
}

function Shown({ plan }: { plan: Tonight }) {
  const manner = mannerOf(plan);
  return (
    <>
      <div className={classes.title}>
        <Moon age={plan.moon_age} name={plan.moon_name} />
        <h1>
          Tonight, {nightTitle(plan.night)} <small>{plan.moon_name}</small>
        </h1>
        <Refinement of="tonight" revision={plan.revision} manner={manner} />
        <LastNight />
        <Undo what={plan.undo} />
      </div>
      {plan.cars.length === 0 && (
        <p>
          No car is drawn yet. <Link to="/household">Draw your house, from the supply to the cars</Link>, and this page
          says every evening what to plug in.
        </p>
      )}
      <div className={classes.cars}>
        {plan.cars.map((car) => (
          <CarEvening
            key={car.id}
            car={car}
            manner={manner}
            cautions={plan.cautions.filter((caution) => caution.cars.includes(car.id))}
          />
        ))}
      </div>
      {plan.cars.length > 0 && <NightSheet plan={plan} manner={manner} />}
    </>
  );
}
