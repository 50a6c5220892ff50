import { useId, useState } from "react";
import classes from "./Field.module.css";

interface Props {
  label: string;
  value: string;
  error?: string;
  onCommit: (value: string) => void;
}

const STEP_MIN = 5;

/** A clock time in a line of text that is its own input: type it, or step with the arrow keys. */
export function TimeField({ label, value, error, onCommit }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const id = useId();

  function commit() {
    if (typed !== null && typed !== value) onCommit(tidy(typed));
    setTyped(null);
  }

  return (
    <span className={classes.field}>
      <input
        type="text"
        inputMode="numeric"
        autoComplete="off"
        placeholder="--:--"
        aria-label={label}
        aria-invalid={error ? true : undefined}
        aria-describedby={error ? id : undefined}
        className={classes.time}
        value={typed ?? value}
        onChange={(event) => setTyped(event.currentTarget.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") setTyped(null);
          const by = { ArrowUp: STEP_MIN, ArrowDown: -STEP_MIN }[event.key];
          if (by) {
            event.preventDefault();
            setTyped(stepped(typed ?? value, by));
          }
        }}
      />
      {error && (
        <span role="alert" id={id} className={classes.error}>
          {label}: expected {error}
        </span>
      )}
    </span>
  );
}

/** What people type for a time, as HH:MM: 730 and 7.30 mean 07:30. Anything else goes as it is. */
export function tidy(text: string): string {
  const found = /^\s*(\d{1,2})[:.h ]?(\d{2})\s*$/.exec(text);
  return found ? `${found[1]?.padStart(2, "0")}:${found[2]}` : text.trim();
}

export function stepped(text: string, minutes: number): string {
  const [hour = 0, minute = 0] = tidy(text || "07:00")
    .split(":")
    .map(Number);
  const at = (hour * 60 + minute + minutes + 1440) % 1440;
  return `${String(Math.floor(at / 60)).padStart(2, "0")}:${String(at % 60).padStart(2, "0")}`;
}
