import { useId, useState } from "react";
import classes from "./Field.module.css";
import { FieldError } from "./FieldError";
import { useTyping } from "./typing";

export interface TextFieldProps {
  label: string;
  value: string;
  size?: number;
  placeholder?: string;
  error?: string;
  onCommit: (value: string) => void;
}

interface Props extends TextFieldProps {
  className?: string;
  inputMode?: "numeric";
  /** What people type, as it is meant. */
  tidy?: (text: string) => string;
  /** What a key makes of the text, where it makes anything of it. */
  onStep?: (text: string, key: string) => string | null;
}

const trimmed = (text: string) => text.trim();

/** A word or a figure in a line of text that is its own input; Escape takes the typing back. */
export function TextField(props: Props) {
  const { label, value, size, placeholder, error, onCommit, className, inputMode, tidy = trimmed, onStep } = props;
  const [typed, setTyped] = useState<string | null>(null);
  const [sent, setSent] = useState<string | null>(null);
  const typing = useTyping(value, onCommit);
  const id = useId();

  function type(text: string) {
    if (typed === null) typing.begin();
    setTyped(text);
  }

  function commit() {
    if (typed !== null && tidy(typed) !== value) {
      setSent(tidy(typed));
      typing.commit(tidy(typed));
    }
    setTyped(null);
  }

  return (
    <span className={classes.field}>
      <input
        type="text"
        inputMode={inputMode}
        autoComplete="off"
        size={size}
        aria-label={label}
        aria-invalid={error ? true : undefined}
        aria-describedby={error ? id : undefined}
        placeholder={placeholder}
        className={className}
        value={typed ?? value}
        onChange={(event) => type(event.currentTarget.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") setTyped(null);
          const next = onStep?.(typed ?? value, event.key);
          if (next) {
            event.preventDefault();
            type(next);
          }
        }}
      />
      {error && <FieldError id={id} label={label} refused={sent === value ? null : sent} error={error} />}
    </span>
  );
}
