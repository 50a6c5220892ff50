import { Button } from "@mantine/core";
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, type WholeHousehold } from "../api/client";
import { mannerOf } from "../shared/format";
import { FieldInput } from "./FieldInput";
import type { FieldSpec, Kind } from "./fields";
import classes from "./Household.module.css";
import { useRowEdit, type Values } from "./household.queries";
import { RowConflict } from "./RowConflict";
import { typed, unitOf, written } from "./values";

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
export function RowForm({ kind, name, fields, whole, row: now, defaults = {}, onDone, onCancel }: Props) {
  const editing = useRowEdit();
  // What the form was opened with: somebody may change the row while another types.
  const [opened, setOpened] = useState(now);
  const row = opened ?? now;
  const client = useQueryClient();
  const [manner] = useState(() => mannerOf(whole.household));
  const start = () => Object.fromEntries(fields.map((f) => [f.name, written(f, (row ?? defaults)[f.name], manner)]));
  const [texts, setTexts] = useState<Record<string, string>>(start);
  const problem = editing.error instanceof ApiError ? editing.error : undefined;
  const errors = problem?.byField ?? {};
  const known = fields.some((field) => errors[field.name]);
  const [more, setMore] = useState(false);
  const shown = fields.filter((field) => !field.more || more || errors[field.name]);

  function changed(): Values {
    const values: Values = {};
    for (const field of fields) {
      const text = texts[field.name] ?? "";
      if (row && text === written(field, row[field.name], manner)) continue;
      if (!row && text === "" && !field.required) continue;
      values[field.name] = typed(field, text, manner);
    }
    return values;
  }

  function done() {
    setOpened(undefined);
    onDone();
  }

  function save(version = row?.version) {
    editing.mutate({ kind, id: row?.id, version, values: changed() }, { onSuccess: done });
  }

  return (
    <form
      className={classes.form}
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        save();
      }}
      aria-label={name}
    >
      {shown.map((field) => (
        <FieldInput
          key={field.name}
          field={field}
          whole={whole}
          unit={unitOf(field, manner)}
          value={texts[field.name] ?? ""}
          error={errors[field.name]}
          onChange={(text) => setTexts((before) => ({ ...before, [field.name]: text }))}
        />
      ))}
      {problem?.status === 409 && (
        <RowConflict
          problem={problem.problem}
          fields={fields.filter((field) => field.name in changed())}
          texts={texts}
          manner={manner}
          onMine={() => save(problem.problem.version ?? 0)}
          onTheirs={async () => {
            await client.invalidateQueries({ queryKey: ["household"] });
            onDone();
          }}
        />
      )}
      {problem && problem.status !== 409 && !known && (
        <p role="alert" className={classes.wrong}>
          {problem.message}
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
            disabled={editing.isPending}
            onClick={() =>
              editing.mutate({ kind, id: row.id, version: row.version, remove: true }, { onSuccess: done })
            }
          >
            Remove
          </Button>
        )}
      </div>
    </form>
  );
}
