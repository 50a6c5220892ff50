import { useState } from "react";
import { ApiError } from "../api/client";
import { type Manner, toKm } from "../shared/format";
import classes from "./Days.module.css";
import { type UsualOfCar, useReadOdometer } from "./usual.queries";

/** What the odometer shows this evening; with the SoC consumption is learned too. */
export function OdometerForm({ car, manner }: { car: UsualOfCar; manner: Manner }) {
  const reading = useReadOdometer(car.id);
  const [texts, setTexts] = useState<Record<string, string>>({});
  const errors = reading.error instanceof ApiError ? reading.error.byField : {};
  const number = (name: string) => (texts[name] ? Number(texts[name].replace(",", ".")) : null);
  const shown = number("km");
  return (
    <form
      className={classes.form}
      aria-label={`Odometer of ${car.name}`}
      onSubmit={(event) => {
        event.preventDefault();
        reading.mutate(
          {
            km: shown === null ? null : toKm(shown, manner),
            soc_pct: number("soc_pct"),
            charged_kwh: number("charged_kwh"),
            temperature_c: number("temperature_c"),
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
            <span role="alert" className={classes.wrong}>
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
