import type { WholeHousehold } from "../api/client";
import type { FieldSpec } from "./fields";
import classes from "./Household.module.css";

interface Props {
  field: FieldSpec;
  whole: WholeHousehold;
  unit: string | undefined;
  value: string;
  error?: string;
  onChange: (text: string) => void;
}

const DAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];

/** One question: its label, its input, why it is asked, and what would be right where it is not. */
export function FieldInput({ field, whole, unit, value, error, onChange }: Props) {
  const id = `field-${field.name}`;
  const described = [field.why && `${id}-why`, error && `${id}-error`].filter(Boolean).join(" ") || undefined;
  const common = { id, "aria-describedby": described, "aria-invalid": error ? true : undefined };
  return (
    <div className={classes.field}>
      {field.type === "days" ? (
        <Days field={field} value={value} onChange={onChange} />
      ) : (
        <>
          <label htmlFor={id}>{field.label}</label>
          <span className={classes.input}>
            {choicesOf(field, whole) ? (
              <select {...common} value={value} onChange={(event) => onChange(event.currentTarget.value)}>
                {!choicesOf(field, whole)?.some(([key]) => key === value) && <option value={value}>choose</option>}
                {choicesOf(field, whole)?.map(([key, text]) => (
                  <option key={key} value={key}>
                    {text}
                  </option>
                ))}
              </select>
            ) : (
              <input
                {...common}
                type={TYPES[field.type] ?? "text"}
                inputMode={field.type === "number" || field.type === "price" ? "decimal" : undefined}
                required={field.required}
                placeholder={field.type === "clock" ? "HH:MM" : undefined}
                value={value}
                onChange={(event) => onChange(event.currentTarget.value)}
              />
            )}
            {unit && <span>{unit}</span>}
          </span>
        </>
      )}
      {error && (
        <p role="alert" id={`${id}-error`} className={classes.wrong}>
          Expected {error}
        </p>
      )}
      {field.why && (
        <p id={`${id}-why`} className={classes.why}>
          {field.why}
        </p>
      )}
    </div>
  );
}

const TYPES: Partial<Record<FieldSpec["type"], string>> = { moment: "datetime-local" };

function choicesOf(field: FieldSpec, whole: WholeHousehold): [string, string][] | undefined {
  if (field.type === "flag")
    return [
      ["", "not known"],
      ["true", "yes"],
      ["false", "no"],
    ];
  if (field.to) {
    const rows = whole[field.to].map((row): [string, string] => [String(row.id), row.name]);
    return field.required ? rows : [["", "none"], ...rows];
  }
  return field.choices;
}

function Days({ field, value, onChange }: Pick<Props, "field" | "value" | "onChange">) {
  const chosen = value.split(" ").filter(Boolean);
  return (
    <fieldset className={classes.days}>
      <legend>{field.label}</legend>
      {DAYS.map((name) => (
        <label key={name}>
          <input
            type="checkbox"
            checked={chosen.includes(name)}
            onChange={(event) =>
              onChange(DAYS.filter((d) => (d === name ? event.currentTarget.checked : chosen.includes(d))).join(" "))
            }
          />
          {name}
        </label>
      ))}
    </fieldset>
  );
}
