import type { CarTonight, EveningEdit } from "../api/client";
import fields from "../shared/Field.module.css";
import { amps } from "../shared/format";
import { HABITS } from "../shared/habits";
import { NumberField } from "../shared/NumberField";
import { TimeField } from "../shared/TimeField";
import classes from "./Tonight.module.css";

interface Props {
  car: CarTonight;
  errors: Record<string, string>;
  edit: (fields: Omit<EveningEdit, "versions">) => void;
}

/** What a person fixes by hand for one car: a session that stays, a time to keep off, and the car's own habit. */
export function ByHand({ car, errors, edit }: Props) {
  const { inputs } = car;
  const pinned = inputs.pin_start !== null && inputs.pin_end !== null;
  const kept = inputs.keep_off_from !== null || inputs.keep_off_to !== null;
  return (
    <details className={classes.byHand} open={pinned || kept || undefined}>
      <summary>By hand{pinned ? ", a session is pinned" : ""}</summary>
      {pinned ? (
        <p>
          Stays from{" "}
          <TimeField
            label="Pinned from"
            value={inputs.pin_start ?? ""}
            error={errors.pin_start}
            onCommit={(pin_start) => edit({ pin_start })}
          />{" "}
          to{" "}
          <TimeField
            label="Pinned to"
            value={inputs.pin_end ?? ""}
            error={errors.pin_end}
            onCommit={(pin_end) => edit({ pin_end })}
          />{" "}
          at{" "}
          <NumberField
            label="Pinned current"
            unit="A"
            value={inputs.pin_amps}
            error={errors.pin_amps}
            onCommit={(pin_amps) => pin_amps !== null && edit({ pin_amps })}
          />{" "}
          <button type="button" onClick={() => edit({ pin_start: null, pin_end: null, pin_amps: null })}>
            Unpin
          </button>
        </p>
      ) : (
        car.pinnable.map((session) => (
          <p key={session.pin_start}>
            <button type="button" onClick={() => edit(session)}>
              Pin {session.pin_start}–{session.pin_end} at {amps(session.pin_amps)}
            </button>{" "}
            <span className={classes.aside}>It stays, and the rest is planned around it.</span>
          </p>
        ))
      )}
      <p>
        Do not charge from{" "}
        <TimeField
          label="Keep off from"
          value={inputs.keep_off_from ?? ""}
          error={errors.keep_off_from}
          onCommit={(from) => edit({ keep_off_from: from || null })}
        />{" "}
        to{" "}
        <TimeField
          label="Keep off to"
          value={inputs.keep_off_to ?? ""}
          error={errors.keep_off_to}
          onCommit={(to) => edit({ keep_off_to: to || null })}
        />
      </p>
      <p>
        Charges{" "}
        <span className={fields.field}>
          <select
            aria-label="Habit"
            value={inputs.habit ?? ""}
            onChange={(event) => edit({ habit: event.currentTarget.value || null })}
          >
            <option value="">as the household does</option>
            {HABITS.map(([habit, words]) => (
              <option key={habit} value={habit}>
                {words}
              </option>
            ))}
          </select>
        </span>{" "}
        <span className={classes.aside}>{inputs.habit_sentence}</span>
      </p>
    </details>
  );
}
