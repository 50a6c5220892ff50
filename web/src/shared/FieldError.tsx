import classes from "./Field.module.css";

interface Props {
  id: string;
  label: string;
  /** What was typed and refused, where that is no longer in the field. */
  refused: string | null;
  error: string;
}

/** What is wrong at a field in a line of text: its name, what was typed, and what would be right. */
export function FieldError({ id, label, refused, error }: Props) {
  return (
    <span role="alert" id={id} className={classes.error}>
      {label}: {refused ? `${refused}, ` : ""}expected {error}
    </span>
  );
}
