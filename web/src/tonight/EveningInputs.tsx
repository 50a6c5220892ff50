import type { CarTonight, EveningEdit } from "../api/client";
import fields from "../shared/Field.module.css";
import { amps, day, dayTold, type Manner } from "../shared/format";
import { NumberField } from "../shared/NumberField";
import { Tick } from "../shared/Tick";
import { TimeField } from "../shared/TimeField";
import classes from "./Tonight.module.css";

interface Props {
  car: CarTonight;
  manner: Manner;
  errors: Record<string, string>;
  edit: (fields: Omit<EveningEdit, "versions">) => void;
}

/** What a person decides for this one night; empty means as usual. */
export function EveningInputs({ car, manner, errors, edit }: Props) {
  const { inputs } = car;
  return (
    <fieldset className={classes.evening} style={{ border: 0, padding: 0 }}>
      <legend className="visually-hidden">Tonight only, {car.name}</legend>
      <span>
        Limit tonight{" "}
        <NumberField
          label="Limit tonight"
          unit="%"
          value={inputs.limit_pct}
          placeholder={String(Math.round(car.limit[0]?.value ?? inputs.daily_limit_pct))}
          error={errors.limit_pct}
          onCommit={(value) => edit({ limit_pct: value })}
        />
      </span>
      <span>
        At most{" "}
        {inputs.steps_a.length > 0 ? (
          <span className={fields.field}>
            <select
              aria-label="Current ceiling"
              value={inputs.ceiling_a ?? ""}
              onChange={(event) =>
                edit({ ceiling_a: event.currentTarget.value === "" ? null : Number(event.currentTarget.value) })
              }
            >
              <option value="">as usual</option>
              {inputs.steps_a.map((step) => (
                <option key={step} value={step}>
                  {amps(step)}
                </option>
              ))}
            </select>
          </span>
        ) : (
          <NumberField
            label="Current ceiling"
            unit="A"
            value={inputs.ceiling_a}
            placeholder={String(car.limit_a)}
            error={errors.ceiling_a}
            onCommit={(value) => edit({ ceiling_a: value })}
          />
        )}
      </span>
      <span>
        I need it earlier, by{" "}
        <TimeField
          label="Ready by"
          value={inputs.ready_by ?? ""}
          error={errors.ready_by}
          onCommit={(value) => edit({ ready_by: value === "" ? null : value })}
        />
      </span>
      <Tick ticked={!inputs.plugged_in} told={inputs} onTick={(ticked) => edit({ plugged_in: !ticked })}>
        Not plugged in tonight
      </Tick>
      {inputs.is_usual && inputs.leave !== null && <AtHome leave={inputs.leave} manner={manner} edit={edit} />}
    </fieldset>
  );
}

/** A usual day that is none. */
function AtHome({ leave, manner, edit }: Pick<Props, "manner" | "edit"> & { leave: string }) {
  return (
    <button type="button" onClick={() => edit({ at_home: day(leave, manner) })}>
      At home on {dayTold(leave, manner)}
    </button>
  );
}
