import classes from "./Field.module.css";
import { TextField, type TextFieldProps } from "./TextField";

const STEP_MIN = 5;
const KEYS: Record<string, number> = { ArrowUp: STEP_MIN, ArrowDown: -STEP_MIN };

/** A clock time in a line of text that is its own input: type it, or step with the arrow keys. */
export function TimeField(props: TextFieldProps) {
  return (
    <TextField
      placeholder="--:--"
      {...props}
      className={classes.time}
      inputMode="numeric"
      tidy={tidy}
      onStep={(text, key) => {
        const by = KEYS[key];
        return by ? stepped(text, by) : null;
      }}
    />
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
