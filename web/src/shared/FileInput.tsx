interface Props {
  label: string;
  accept: string;
  onChoose: (file: File | null) => void;
}

/** A file to bring in. Pressed again it begins anew: a file that was put right is chosen under the name it had. */
export function FileInput({ label, accept, onChoose }: Props) {
  return (
    <label>
      {label}{" "}
      <input
        type="file"
        accept={accept}
        onClick={(event) => {
          event.currentTarget.value = "";
          onChoose(null);
        }}
        onChange={(event) => onChoose(event.currentTarget.files?.[0] ?? null)}
      />
    </label>
  );
}
