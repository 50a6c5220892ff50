import { useState } from "react";
import { ApiError } from "../api/client";
import { type Manner, toKm } from "../shared/format";
import { Labelled } from "../shared/Labelled";
import { number, odometer } from "../shared/number";
import form from "../shared/TypedForm.module.css";
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
      className={form.form}
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
        <Labelled
          key={name}
          label={name === "km" ? `Odometer, ${manner.distanceUnit}` : label}
          type={type}
          value={texts[name] ?? ""}
          error={errors[name]}
          onChange={(text) => setTexts({ ...texts, [name]: text })}
        />
      ))}
      <span className={form.buttons}>
        <button type="submit" disabled={!texts.km || reading.isPending}>
          Keep it
        </button>
      </span>
    </form>
  );
}

const FIELDS = [
  { name: "km", label: "Odometer", type: "figure" },
  { name: "day", label: "On (empty: today)", type: "date" },
  { name: "soc_pct", label: "SoC then, %", type: "figure" },
  { name: "charged_kwh", label: "Charged since the last one, kWh", type: "figure" },
  { name: "temperature_c", label: "Outside meanwhile, °C", type: "figure" },
] as const;
