import { useState } from "react";
import type { CarTonight, EveningEdit, Schemas } from "../api/client";
import fields from "../shared/Field.module.css";
import { HABITS } from "../shared/habits";
import { NumberField } from "../shared/NumberField";
import { TimeField } from "../shared/TimeField";
import { isPinned, pinnedToo } from "./pins";
import classes from "./Tonight.module.css";

interface Props {
  car: CarTonight;
  errors: Record<string, string>;
  edit: (fields: Omit<EveningEdit, "versions">) => void;
}

/** What a person fixes by hand for one car: sessions that stay, times to keep off, and the car's own habit. */
export function ByHand({ car, errors, edit }: Props) {
  const { pins, keep_off } = car.inputs;
  // Once open it stays so, when the last pin is let go as well.
  const [opened, setOpened] = useState(false);
  const open = car.pinnable.filter((session) => !isPinned(pins, session));
  // Where nothing is kept off yet, an empty line to type in.
  const times = keep_off.length > 0 ? keep_off : [{ start: null, end: null }];
  return (
    <details
      className={classes.byHand}
      open={opened || pins.length > 0 || keep_off.length > 0}
      onToggle={(event) => setOpened(event.currentTarget.open)}
    >
      <summary>By hand{summary(pins.length)}</summary>
      {pins.map((pin, nth) => (
        <Pinned
          // biome-ignore lint/suspicious/noArrayIndexKey: an entry is its place, and stays the same line while its times are typed
          key={nth}
          pin={pin}
          nth={pins.length > 1 ? nth + 1 : undefined}
          errors={errorsAt(errors, `pins[${nth}]`)}
          onChange={(changed) => edit({ pins: pins.with(nth, { ...pin, ...changed }) })}
          onUnpin={() => edit({ pins: pins.toSpliced(nth, 1) })}
        />
      ))}
      {errors.pins && <p className={classes.short}>{errors.pins}</p>}
      {open.map((session) => (
        <p key={session.start}>
          <button type="button" onClick={() => edit({ pins: pinnedToo(pins, session) })}>
            Pin {session.start}–{session.end} at {session.current}
          </button>{" "}
          <span className={classes.aside}>It stays, and the rest is planned around it.</span>
        </p>
      ))}
      {times.map((time, nth) => (
        <KeptOff
          // biome-ignore lint/suspicious/noArrayIndexKey: an entry is its place, and stays the same line while its times are typed
          key={nth}
          time={time}
          nth={times.length > 1 ? nth + 1 : undefined}
          errors={errorsAt(errors, `keep_off[${nth}]`)}
          onChange={(changed) => edit({ keep_off: given(times.with(nth, { ...time, ...changed })) })}
        />
      ))}
      {keep_off.some((time) => time.start && time.end) && !keep_off.some((time) => !time.start || !time.end) && (
        <p>
          <button type="button" onClick={() => edit({ keep_off: [...keep_off, { start: "12:00", end: null }] })}>
            Keep off at another time
          </button>
        </p>
      )}
      <p>
        Charges{" "}
        <span className={fields.field}>
          <select
            aria-label="Habit"
            value={car.inputs.habit ?? ""}
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
        <span className={classes.aside}>{car.inputs.habit_sentence}</span>
      </p>
    </details>
  );
}

function summary(pinned: number): string {
  if (pinned === 0) return "";
  return pinned === 1 ? ", a time is pinned" : `, ${pinned} times are pinned`;
}

/** The errors of one entry of a list, by its own keys. */
function errorsAt(errors: Record<string, string>, entry: string): Record<string, string> {
  const mine = Object.entries(errors).filter(([field]) => field.startsWith(`${entry}.`));
  return Object.fromEntries(mine.map(([field, expected]) => [field.slice(entry.length + 1), expected]));
}

/** Without times of which nothing is left. */
function given(times: Schemas["KeptOff"][]): Schemas["KeptOff"][] {
  return times.filter((time) => time.start || time.end);
}

interface PinnedProps {
  pin: Schemas["PinByHand"];
  nth?: number;
  errors: Record<string, string>;
  onChange: (changed: Partial<Schemas["PinByHand"]>) => void;
  onUnpin: () => void;
}

function Pinned({ pin, nth, errors, onChange, onUnpin }: PinnedProps) {
  const which = nth ? ` ${nth}` : "";
  return (
    <p>
      Stays from{" "}
      <TimeField
        label={`Pinned from${which}`}
        value={pin.start}
        error={errors.start}
        onCommit={(start) => onChange({ start })}
      />{" "}
      to{" "}
      <TimeField label={`Pinned to${which}`} value={pin.end} error={errors.end} onCommit={(end) => onChange({ end })} />{" "}
      at{" "}
      <NumberField
        label={`Pinned current${which}`}
        unit="A"
        value={pin.amps}
        error={errors.amps}
        onCommit={(value) => value !== null && onChange({ amps: value })}
      />{" "}
      <button type="button" onClick={onUnpin}>
        Unpin{nth ? ` ${pin.start}` : ""}
      </button>
    </p>
  );
}

interface KeptOffProps {
  time: Schemas["KeptOff"];
  nth?: number;
  errors: Record<string, string>;
  onChange: (changed: Partial<Schemas["KeptOff"]>) => void;
}

function KeptOff({ time, nth, errors, onChange }: KeptOffProps) {
  const which = nth ? ` ${nth}` : "";
  return (
    <p>
      Do not charge from{" "}
      <TimeField
        label={`Keep off from${which}`}
        value={time.start ?? ""}
        error={errors.start}
        onCommit={(start) => onChange({ start: start || null })}
      />{" "}
      to{" "}
      <TimeField
        label={`Keep off to${which}`}
        value={time.end ?? ""}
        error={errors.end}
        onCommit={(end) => onChange({ end: end || null })}
      />
      {!time.start !== !time.end && (
        <span className={classes.aside}> Type both: with one of them nothing is kept off yet.</span>
      )}
    </p>
  );
}
