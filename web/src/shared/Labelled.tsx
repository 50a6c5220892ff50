import page from "./Page.module.css";

interface Props {
  label: string;
  /** What is typed: a figure or a text, a day, or a day and time. */
  type?: "figure" | "text" | "date" | "datetime-local";
  value: string;
  placeholder?: string;
  required?: boolean;
  /** What was expected instead. */
  error?: string;
  onChange: (text: string) => void;
}

/** A field of a form under its label, with what is wrong with it. */
export function Labelled({ label, type = "figure", value, placeholder, required, error, onChange }: Props) {
  return (
    <label>
      {label}
      <input
        type={type === "figure" ? "text" : type}
        inputMode={type === "figure" ? "decimal" : undefined}
        autoComplete="off"
        required={required}
        placeholder={placeholder}
        value={value}
        aria-invalid={error ? true : undefined}
        onChange={(event) => onChange(event.currentTarget.value)}
      />
      {error && (
        <span role="alert" className={page.wrong}>
          Expected {error}
        </span>
      )}
    </label>
  );
}
