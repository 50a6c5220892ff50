import { useState } from "react";
import type { Schemas } from "../api/client";
import { clock, energy, type Manner, money, nightTitle, percent, weekday } from "../shared/format";
import page from "../shared/Page.module.css";
import { Simulated } from "../shared/Simulated";
import { useWaiting } from "./sun.queries";

/** "Wait for Saturday's sun?", car by car: what each costs, and the chance that waiting pays. */
export function Waiting({ manner }: { manner: Manner }) {
  const [day, setDay] = useState<string | null>(null);
  const waiting = useWaiting(day);
  const found = waiting.data;
  return (
    <section aria-label="Wait for the sun?">
      <h2>
        Wait for the sun of{" "}
        <select
          aria-label="Day to wait for"
          value={found?.day ?? ""}
          onChange={(event) => setDay(event.currentTarget.value)}
        >
          {found?.days.map((one) => (
            <option key={one} value={one}>
              {nightTitle(one)}
            </option>
          ))}
        </select>
        ?
      </h2>
      {waiting.isPending && <p role="status">Planning both ways …</p>}
      {waiting.error && <p role="alert">{waiting.error.message}</p>}
      <div aria-live="polite" aria-busy={waiting.isFetching}>
        {found?.cars.map((car) => (
          <p key={car.id} className={page.decision}>
            <strong>{car.name}</strong>:{" "}
            {car.answer ? (
              <Answer answer={car.answer} manner={manner} />
            ) : (
              "that day's sun gives it nothing to wait for."
            )}
          </p>
        ))}
        {found?.sky.simulated && <Simulated what={[found.sky.name]} />}
      </div>
    </section>
  );
}

function Answer({ answer, manner }: { answer: Schemas["WaitingOut"]; manner: Manner }) {
  return (
    <>
      {answer.worth_it ? "wait" : "do not wait"}. Without it, all the charging of these days costs{" "}
      {money(answer.cost_now, manner)}. Waiting for {energy(answer.solar_kwh)} of it costs{" "}
      {money(answer.cost_middle, manner)} if the day is as forecast, {money(answer.cost_low, manner)} if it is dull,{" "}
      {money(answer.cost_high, manner)} if it is bright.{" "}
      {answer.pays_from === null
        ? "Even a clear day would not make up for it."
        : `It pays from ${percent(answer.pays_from * 100)} of a clear day on: a chance of ${percent(answer.chance * 100)}.`}
      {answer.short_kwh > 0 && ` Waiting leaves ${energy(answer.short_kwh)} short.`}
      {answer.sessions_waiting.length > 0 && (
        <span className={page.note}>
          {" "}
          Waiting, it would charge from {answer.sessions_waiting.map((at) => when(at, manner)).join(", ")}; without,
          from {answer.sessions_now.map((at) => when(at, manner)).join(", ")}.
        </span>
      )}
    </>
  );
}

function when(instant: string, manner: Manner): string {
  return `${weekday(instant, manner).slice(0, 3)} ${clock(instant, manner)}`;
}
