import { useEffect, useId, useRef, useState } from "react";
import classes from "./Field.module.css";
import { FieldError } from "./FieldError";
import { useTyping } from "./typing";

interface Props {
  label: string;
  unit: string;
  value: number | null;
  step?: number;
  placeholder?: string;
  error?: string;
  onCommit: (value: number | null) => void;
}

const SETTLED_MS = 700;
/** How many characters a narrow field shows. */
const FITS = 3;

/** A figure in a line of text that is its own input: type, or use the arrow keys; Escape takes the typing back. */
export function NumberField({ label, unit, value, step = 1, placeholder, error, onCommit }: Props) {
  const shown = value === null ? "" : String(Number(value.toFixed(2)));
  const [typed, setTyped] = useState<string | null>(null);
  const [sent, setSent] = useState<string | null>(null);
  const seen = typed ?? (shown || placeholder || "");
  const typing = useTyping(shown, onCommit);
  const timer = useRef<number>(undefined);
  const errorId = useId();

  useEffect(() => () => window.clearTimeout(timer.current), []);

  function commit(text: string) {
    window.clearTimeout(timer.current);
    if (text !== shown) {
      setSent(text);
      typing.commit(text === "" ? null : Number(text));
    }
    setTyped(null);
  }

  return (
    <span className={classes.field}>
      <input
        type="number"
        inputMode="decimal"
        aria-label={label}
        aria-invalid={error ? true : undefined}
        aria-describedby={error ? errorId : undefined}
        className={seen.length > FITS ? classes.wide : classes.number}
        step={step}
        placeholder={placeholder}
        value={typed ?? shown}
        onChange={(event) => {
          const text = event.currentTarget.value;
          if (typed === null) typing.begin();
          setTyped(text);
          window.clearTimeout(timer.current);
          timer.current = window.setTimeout(() => commit(text), SETTLED_MS);
        }}
        onBlur={() => typed !== null && commit(typed)}
        onKeyDown={(event) => {
          if (event.key === "Enter" && typed !== null) commit(typed);
          if (event.key === "Escape") {
            window.clearTimeout(timer.current);
            setTyped(null);
          }
        }}
      />
      <span aria-hidden="true">{unit}</span>
      {error && <FieldError id={errorId} label={label} refused={sent === shown ? null : sent} error={error} />}
    </span>
  );
}
