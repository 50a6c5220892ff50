import { Button } from "@mantine/core";
import { type FormEvent, useState } from "react";
import { ApiError, type WholeHousehold } from "../api/client";
import { FieldInput } from "./FieldInput";
import type { FieldSpec, Kind } from "./fields";
import classes from "./Household.module.css";
import { useRowEdit, type Values } from "./household.queries";
import { typed, written } from "./values";

interface Props {
  kind: Kind;
  name: string;
  fields: FieldSpec[];
  whole: WholeHousehold;
  row?: Values & { id?: number; version: number };
  defaults?: Values;
  onDone: () => void;
  onCancel?: () => void;
}

/** The questions about one part, each with why it is asked. What the server refuses is told at its field. */
export function RowForm({ kind, name, fields, whole, row, defaults = {}, onDone, onCancel }: Props) {
  const editing = useRowEdit();
  const manner = whole.household.timezone;
  const start = () => Object.fromEntries(fields.map((f) => [f.name, written(f, (row ?? defaults)[f.name], manner)]));
  const [texts, setTexts] = useState<Record<string, string>>(start);
  const problem = editing.error instanceof ApiError ? editing.error : undefined;
  const errors = problem?.byField ?? {};
  const known = fields.some((field) => errors[field.name]);
  const [more, setMore] = useState(false);
  const shown = fields.filter((field) => !field.more || more || errors[field.name]);

  function save(event: FormEvent) {
    event.preventDefault();
    const values: Values = {};
    for (const field of fields) {
      const text = texts[field.name] ?? "";
      if (row && text === written(field, row[field.name], manner)) continue;
      if (!row && text === "" && !field.required) continue;
      values[field.name] = typed(field, text);
    }
    editing.mutate({ kind, id: row?.id, version: row?.version, values }, { onSuccess: onDone });
  }

  return (
    <form className={classes.form} onSubmit={save} aria-label={name}>
      {shown.map((field) => (
        <FieldInput
          key={field.name}
          field={field}
          whole={whole}
          value={texts[field.name] ?? ""}
          error={errors[field.name]}
          onChange={(text) => setTexts((before) => ({ ...before, [field.name]: text }))}
        />
      ))}
      {problem && !known && (
        <p role="alert" className={classes.wrong}>
          {problem.status === 409
            ? `${problem.problem.by} changed this meanwhile. Close and open it again to see what stands there now; what you typed is still here.`
            : problem.message}
        </p>
      )}
      <div className={classes.buttons}>
        <Button type="submit" size="sm" loading={editing.isPending}>
          Save
        </Button>
        {onCancel && (
          <Button size="sm" variant="subtle" onClick={onCancel}>
            Close
          </Button>
        )}
        {fields.some((field) => field.more) && (
          <Button size="sm" variant="subtle" aria-expanded={more} onClick={() => setMore(!more)}>
            {more ? "Less" : "More"}
          </Button>
        )}
        {row?.id !== undefined && kind !== "household" && (
          <Button
            size="sm"
            variant="subtle"
            onClick={() =>
              editing.mutate({ kind, id: row.id, version: row.version, remove: true }, { onSuccess: onDone })
            }
          >
            Remove
          </Button>
        )}
      </div>
    </form>
  );
}
