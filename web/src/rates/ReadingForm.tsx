import { useState } from "react";
import { ApiError } from "../api/client";
import { distance, type Manner } from "../shared/format";
import page from "../shared/Page.module.css";
import { ASKED, type Asked, KINDS, type Kind, readingOf } from "./kinds";
import classes from "./Rates.module.css";
import { type HookupOut, type Hookups, usePreview, useTakeReading } from "./rates.queries";

interface Props {
  hookup: HookupOut;
  all: Hookups;
  manner: Manner;
  /** Without a heading, where it stands among other things. */
  plain?: boolean;
}

/** A reading is typed here; what it says stands beside it before it is kept. */
export function ReadingForm({ hookup, all, manner, plain }: Props) {
  const [kind, setKind] = useState<Kind>("display");
  const [texts, setTexts] = useState<Record<string, string>>({});
  const reading = readingOf(kind, texts, all.distance_unit, all.now);
  const preview = usePreview(hookup, reading);
  const taking = useTakeReading(hookup);
  const problem = [taking.error, preview.error].find((error) => error instanceof ApiError);
  const errors = problem instanceof ApiError ? problem.byField : {};
  const unnamed = problem && !ASKED[kind].some(({ name }) => errors[name]);
  return (
    <form
      className={classes.form}
      onSubmit={(event) => {
        event.preventDefault();
        if (reading) taking.mutate(reading, { onSuccess: () => setTexts({}) });
      }}
    >
      {!plain && <h2>Take a reading</h2>}
      <div className={classes.kinds} role="radiogroup" aria-label="Kind of reading">
        {KINDS.map(([key, words]) => (
          <label key={key}>
            <input type="radio" name="kind" checked={kind === key} onChange={() => setKind(key)} /> {words}
          </label>
        ))}
      </div>
      <div className={classes.asked}>
        {ASKED[kind].map((asked) => (
          <Field
            key={asked.name}
            asked={
              asked.name === "range_per_h" ? { ...asked, unit: all.distance_unit === "mi" ? "miles/h" : "km/h" } : asked
            }
            value={texts[asked.name] ?? ""}
            error={reading ? errors[asked.name] : undefined}
            onChange={(text) => setTexts({ ...texts, [asked.name]: text })}
          />
        ))}
      </div>
      <Said preview={reading && !problem ? preview.data : undefined} manner={manner} />
      {unnamed && reading && (
        <p role="alert" className={page.wrong}>
          {problem.message}
        </p>
      )}
      <button type="submit" disabled={!reading || taking.isPending}>
        Keep this reading
      </button>
    </form>
  );
}

function Said({ preview, manner }: { preview: ReturnType<typeof usePreview>["data"]; manner: Manner }) {
  if (!preview) {
    return <p className={classes.said}>Type what the display shows, and what it says of the battery stands here.</p>;
  }
  return (
    <p className={classes.said} aria-live="polite">
      {preview.battery_kw !== null && preview.range_km_per_h !== null && preview.lost !== null ? (
        <>
          <strong>{preview.battery_kw.toFixed(2)} kW</strong> into the battery of {preview.wall_kw.toFixed(2)} at the
          wall, {(preview.lost * 100).toFixed(0)} % lost; {distance(preview.range_km_per_h, manner)} an hour.{" "}
        </>
      ) : (
        "It says nothing of the battery yet. "
      )}
      Expected {preview.expected_kw.toFixed(2)} kW, {distance(preview.expected_range_km_per_h, manner)} an hour:{" "}
      <em>{preview.told}</em>.{preview.not_fitted ? ` Kept, but not fitted: ${preview.not_fitted}.` : ""}
    </p>
  );
}

interface FieldProps {
  asked: Asked;
  value: string;
  error?: string;
  onChange: (text: string) => void;
}

function Field({ asked, value, error, onChange }: FieldProps) {
  const id = `reading-${asked.name}`;
  if (asked.type === "flag") {
    return (
      <label className={classes.flag}>
        <input
          type="checkbox"
          checked={value === "true"}
          onChange={(event) => onChange(event.currentTarget.checked ? "true" : "")}
        />{" "}
        {asked.label}
      </label>
    );
  }
  return (
    <div className={classes.field}>
      <label htmlFor={id}>{asked.label}</label>
      <span>
        {asked.type === "side" ? (
          <select id={id} value={value} onChange={(event) => onChange(event.currentTarget.value)}>
            <option value="">at the wall</option>
            <option value="battery">at the battery</option>
          </select>
        ) : (
          <input
            id={id}
            type={asked.type === "moment" ? "datetime-local" : "text"}
            inputMode={asked.type === "moment" ? undefined : "decimal"}
            autoComplete="off"
            aria-invalid={error ? true : undefined}
            aria-describedby={error ? `${id}-error` : undefined}
            value={value}
            onChange={(event) => onChange(event.currentTarget.value)}
          />
        )}{" "}
        {asked.unit}
      </span>
      {error && (
        <span role="alert" id={`${id}-error`} className={page.wrong}>
          Expected {error}
        </span>
      )}
    </div>
  );
}
