import { useElementSize } from "@mantine/hooks";
import { useState } from "react";
import type { Tonight } from "../../api/client";
import { timeAxis } from "../../shared/axis";
import type { Manner } from "../../shared/format";
import { columnFor } from "../../shared/names";
import { Simulated } from "../../shared/Simulated";
import { Undated } from "../../shared/Undated";
import { CarTide } from "./CarTide";
import { CircuitLoad } from "./CircuitLoad";
import { HourLines } from "./HourLines";
import { House } from "./House";
import classes from "./NightSheet.module.css";
import { NightTable } from "./NightTable";
import { PriceBands } from "./PriceBands";

const HOURS = 26;
const PRICES = 34;
const HOUSE = 44;
const TIDE = 116;
const CIRCUIT = 34;
const GAP = 12;

/** The drawn night: one time axis from now to the last departure, and on it why each session sits where it sits. */
export function NightSheet({ plan, manner }: { plan: Tonight; manner: Manner }) {
  const { ref, width } = useElementSize();
  const [told, setTold] = useState("");
  const narrow = width < 600;
  const left = narrow ? 2 : columnFor([...plan.cars, ...plan.circuits].map(({ name }) => name));
  const x = timeAxis(plan.start, plan.end, Math.max(200, width - 2), left);
  let top = HOURS;
  const row = (height: number) => {
    const at = top;
    top += height + GAP + (narrow ? 14 : 0);
    return at + (narrow ? 14 : 0);
  };
  const prices = row(PRICES);
  const house = row(HOUSE);
  const tides = plan.cars.map(() => row(TIDE));
  const circuits = plan.circuits.map(() => row(CIRCUIT));
  const height = top;
  const place = { left, narrow, x, end: plan.end };
  return (
    <section aria-label="The night, drawn" className={classes.sheet}>
      <div ref={ref}>
        {width > 0 && (
          <svg width={width} height={height} role="group" aria-label="Night sheet; the table below says the same">
            <HourLines plan={plan} manner={manner} height={height} {...place} />
            <PriceBands runs={plan.prices} top={prices} height={PRICES} {...place} />
            <House slots={plan.house} top={house} height={HOUSE} {...place} />
            {plan.cars.map((car, i) => (
              <CarTide
                key={car.id}
                car={car}
                manner={manner}
                top={tides[i] ?? 0}
                height={TIDE}
                onTell={setTold}
                {...place}
              />
            ))}
            {plan.circuits.map((circuit, i) => (
              <CircuitLoad key={circuit.id} circuit={circuit} top={circuits[i] ?? 0} height={CIRCUIT} {...place} />
            ))}
          </svg>
        )}
      </div>
      <p className={classes.told} aria-live="polite">
        {told ||
          "Point at a session, or reach it with Tab, to read it here; pull it, or press the arrow keys, to pin it elsewhere."}
      </p>
      <Simulated what={plan.simulated} />
      <Undated plan={plan} manner={manner} />
      <NightTable plan={plan} manner={manner} />
    </section>
  );
}
