import { useState } from "react";
import { ApiError } from "../api/client";
import { type Manner, toKm } from "../shared/format";
import { number, odometer } from "../shared/number";
import page from "../shared/Page.module.css";
import classes from "./Days.module.css";
import { type UsualOfCar, useReadOdometer } from "./usual.queries";

/** What the odometer shows this evening; with the SoC consumption is learned too. */
export function OdometerForm({ car, manner }: { car: UsualOfCar; manner: Manner }) {
  const reading = useReadOdometer(car.id);
  const [texts, setTexts] = useState<Record<string, string>>({});
  const errors = reading.error instanceof ApiError ? reading.error.byField : {};
  // What is no number goes as it is, so that the server names the field.
  const given = (name: string) => (texts[name] ? (number(texts[name]) as number) : null);
  return (
    <form
      className={classes.form}
      aria-label={`Odometer of ${car.name}`}
      onSubmit={(event) => {
        event.preventDefault();
        reading.mutate(
          {
            km: texts.km ? toKm(odometer(texts.km), manner) : null,
            soc_pct: given("soc_pct"),
            charged_kwh: given("charged_kwh"),
            temperature_c: given("temperature_c"),
            ...(texts.day ? { day: texts.day } : {}),
          },
          { onSuccess: () => setTexts({}) },
        );
      }}
    >
      {FIELDS.map(({ name, label, type }) => (
        <label key={name}>
          {name === "km" ? `Odometer, ${manner.distanceUnit}` : label}
          <input
            type={type}
            inputMode={type === "text" ? "decimal" : undefined}
            value={texts[name] ?? ""}
            aria-invalid={errors[name] ? true : undefined}
            onChange={(event) => setTexts({ ...texts, [name]: event.currentTarget.value })}
          />
          {errors[name] && (
            <span role="alert" className={page.wrong}>
              Expected {errors[name]}
            </span>
          )}
        </label>
      ))}
      <span className={classes.buttons}>
        <button type="submit" disabled={!texts.km || reading.isPending}>
          Keep it
        </button>
      </span>
    </form>
  );
}

const FIELDS = [
  { name: "km", label: "Odometer", type: "text" },
  { name: "day", label: "On (empty: today)", type: "date" },
  { name: "soc_pct", label: "SoC then, %", type: "text" },
  { name: "charged_kwh", label: "Charged since the last one, kWh", type: "text" },
  { name: "temperature_c", label: "Outside meanwhile, °C", type: "text" },
];
