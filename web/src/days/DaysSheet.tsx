import { useElementSize } from "@mantine/hooks";
import { useState } from "react";
import { timeAxis } from "../shared/axis";
import type { Manner } from "../shared/format";
import { columnFor } from "../shared/names";
import { CarDaysTide } from "./CarDaysTide";
import { DayLines } from "./DayLines";
import classes from "./Days.module.css";
import type { Days, useDaysEdit } from "./days.queries";

const HEAD = 30;
const CAR = 150;

interface Props {
  plan: Days;
  manner: Manner;
  edit: ReturnType<typeof useDaysEdit>;
  onOpen: (trip: string) => void;
}

/** The coming days as one tide table: a car a row on one time axis. */
export function DaysSheet({ plan, manner, edit, onOpen }: Props) {
  const { ref, width } = useElementSize();
  const [told, setTold] = useState("");
  const narrow = width < 600;
  const left = narrow ? 2 : columnFor(plan.cars.map(({ name }) => name));
  const x = timeAxis(plan.start, plan.end, Math.max(200, width - 2), left);
  const height = HEAD + plan.cars.length * CAR;
  if (plan.cars.length === 0) return null;
  return (
    <section aria-label="The days, drawn" className={classes.sheet}>
      <div ref={ref}>
        {width > 0 && (
          <svg width={width} height={height} role="group" aria-label="Tide of the days; the table below says the same">
            <DayLines x={x} height={height} left={left} narrow={narrow} manner={manner} />
            {plan.cars.map((car, i) => (
              <CarDaysTide
                key={car.id}
                car={car}
                manner={manner}
                x={x}
                top={HEAD + i * CAR}
                height={CAR}
                left={left}
                narrow={narrow}
                end={plan.end}
                edit={edit}
                onTell={setTold}
                onOpen={onOpen}
              />
            ))}
          </svg>
        )}
      </div>
      <p className={classes.told} aria-live="polite">
        {told ||
          "Point at a session or a trip, or reach it with Tab. A trip is dragged, or moved with the arrow keys: a quarter of an hour, with Shift a day."}
      </p>
    </section>
  );
}
