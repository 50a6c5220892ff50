import { useState } from "react";
import { ApiError, type Problem } from "../api/client";
import { type Manner, toKm, toUnit } from "../shared/format";
import { Labelled } from "../shared/Labelled";
import { figure, number } from "../shared/number";
import page from "../shared/Page.module.css";
import form from "../shared/TypedForm.module.css";
import { moved, wall } from "../shared/wall";
import type { CarDays, Trip, TripEdit, useDaysEdit } from "./days.queries";

interface Props {
  trip?: Trip;
  car: CarDays;
  cars: CarDays[];
  /** YYYY-MM-DD that a new trip leaves on. */
  day: string;
  manner: Manner;
  edit: ReturnType<typeof useDaysEdit>;
  onDone: () => void;
}

const WEEK = 7 * 24 * 60;

/** A trip, typed: times, distance, who drives, and what is charged there; copied, repeated and taken away. */
export function TripForm({ trip, car, cars, day, manner, edit, onDone }: Props) {
  const zone = manner.timezone;
  const [vehicle, setVehicle] = useState(car.id);
  const [texts, setTexts] = useState<Record<string, string>>({
    leave: trip ? wall(trip.leave, zone) : `${day}T08:00`,
    back: trip ? wall(trip.back, zone) : `${day}T17:00`,
    km: trip ? String(Math.round(toUnit(trip.km, manner) * 10) / 10) : "",
    gain_kwh: trip?.gain_kwh ? String(trip.gain_kwh) : "",
    temperature_c: trip?.temperature_c == null ? "" : String(trip.temperature_c),
    summary: trip?.summary ?? "",
  });
  const [fill, setFill] = useState(trip?.fill ?? false);
  // What the form was opened with: somebody may change the trip while another types.
  const [opened] = useState(trip?.version ?? 0);
  const [theirs, setTheirs] = useState<Problem | null>(null);
  const problem = edit.error instanceof ApiError ? edit.error : undefined;
  const errors = problem?.byField ?? {};
  const values: TripEdit = {
    vehicle_id: Number(vehicle),
    leave: texts.leave,
    back: texts.back,
    km: toKm(figure(texts.km ?? ""), manner),
    gain_kwh: texts.gain_kwh ? (number(texts.gain_kwh) as number) : 0,
    temperature_c: texts.temperature_c ? (number(texts.temperature_c) as number) : null,
    summary: texts.summary,
    fill,
  };
  const done = {
    onSuccess: onDone,
    // Told here, beside the button: whoever sends it again means it.
    onError: (error: Error) => {
      if (!(error instanceof ApiError) || error.status !== 409) return;
      setTheirs(error.problem);
      edit.reset();
    },
  };
  const stored = trip?.id == null ? null : { id: trip.id, version: theirs?.version ?? opened };
  const leaves = texts.leave ?? "";
  return (
    <form
      className={form.form}
      aria-label={trip ? "Trip" : "New trip"}
      onSubmit={(event) => {
        event.preventDefault();
        if (stored) edit.mutate({ what: "change", ...stored, trip: values }, done);
        else edit.mutate({ what: "add", trip: values }, done);
      }}
    >
      <label>
        Car
        <select value={vehicle} onChange={(event) => setVehicle(event.currentTarget.value)}>
          {cars.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </label>
      {FIELDS.map(({ name, label, type }) => (
        <Labelled
          key={name}
          label={name === "km" ? `Distance, ${manner.distanceUnit}` : label}
          type={type}
          required={name === "km"}
          value={texts[name] ?? ""}
          error={errors[name]}
          onChange={(text) => setTexts({ ...texts, [name]: text })}
        />
      ))}
      <label className={form.flag}>
        <input type="checkbox" checked={fill} onChange={(event) => setFill(event.currentTarget.checked)} /> Leave full
      </label>
      {theirs && (
        <span role="alert" className={`${page.wrong} ${form.wholeLine}`}>
          {theirs.by} changed this trip meanwhile: it stands above. If you keep yours, it takes its place.
        </span>
      )}
      <span className={form.buttons}>
        <button type="submit" disabled={edit.isPending}>
          {stored ? "Keep the change" : trip ? "Make it a trip of its own" : "Add the trip"}
        </button>
        {stored && (
          <>
            <button
              type="button"
              disabled={edit.isPending}
              onClick={() =>
                edit.mutate({ what: "copy", id: stored.id, days: [moved(leaves, 24 * 60).slice(0, 10)] }, done)
              }
            >
              Copy to the next day
            </button>
            <button
              type="button"
              disabled={edit.isPending}
              onClick={() => {
                const weeks = [1, 2, 3, 4].map((n) => moved(leaves, n * WEEK).slice(0, 10));
                edit.mutate({ what: "copy", id: stored.id, days: weeks }, done);
              }}
            >
              Repeat weekly, four times
            </button>
            <button
              type="button"
              disabled={edit.isPending}
              onClick={() => edit.mutate({ what: "remove", ...stored }, done)}
            >
              Take it away
            </button>
          </>
        )}
        {trip && !stored && (
          <button
            type="button"
            disabled={edit.isPending}
            onClick={() =>
              edit.mutate(
                { what: "at home", car: car.id, day: wall(trip.leave, zone).slice(0, 10), at_home: true },
                done,
              )
            }
          >
            At home that day
          </button>
        )}
        <button type="button" onClick={onDone}>
          Close
        </button>
      </span>
    </form>
  );
}

export const FIELDS = [
  { name: "leave", label: "Leaves", type: "datetime-local" },
  { name: "back", label: "Back", type: "datetime-local" },
  { name: "km", label: "Distance", type: "figure" },
  { name: "gain_kwh", label: "Charged there, kWh", type: "figure" },
  { name: "temperature_c", label: "Outside, °C", type: "figure" },
  { name: "summary", label: "What for", type: "text" },
] as const;
