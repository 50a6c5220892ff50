import { useId, useState } from "react";
import classes from "./Field.module.css";

interface Props {
  label: string;
  value: string;
  size?: number;
  placeholder?: string;
  error?: string;
  onCommit: (value: string) => void;
}

/** A word or a figure in a line of text that is its own input; Escape takes the typing back. */
export function TextField({ label, value, size = 10, placeholder, error, onCommit }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const id = useId();

  function commit() {
    if (typed !== null && typed.trim() !== value) onCommit(typed.trim());
    setTyped(null);
  }

  return (
    <span className={classes.field}>
      <input
        type="text"
        size={size}
        aria-label={label}
        aria-invalid={error ? true : undefined}
        aria-describedby={error ? id : undefined}
        placeholder={placeholder}
        value={typed ?? value}
        onChange={(event) => setTyped(event.currentTarget.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") setTyped(null);
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
