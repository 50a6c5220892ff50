import { Button } from "@mantine/core";
import type { Problem } from "../api/client";
import type { Manner } from "../shared/format";
import type { FieldSpec } from "./fields";
import classes from "./Household.module.css";
import { written } from "./values";

interface Props {
  problem: Problem;
  fields: FieldSpec[];
  texts: Record<string, string>;
  manner: Manner;
  onMine: () => void;
  onTheirs: () => void;
}

/** Somebody saved the same part meanwhile: what they left beside what was typed here, and the choice. */
export function RowConflict({ problem, fields, texts, manner, onMine, onTheirs }: Props) {
  return (
    <div role="alertdialog" aria-label="Changed by somebody else" className={classes.conflict}>
      <strong>{problem.by}</strong> changed this meanwhile.
      {fields.map((field) => (
        <div key={field.name}>
          {field.label}: theirs <strong>{written(field, problem.current?.[field.name], manner) || "empty"}</strong>,
          yours <strong>{texts[field.name] || "empty"}</strong>
        </div>
      ))}
      <div className={classes.buttons}>
        <Button size="sm" variant="default" onClick={onTheirs}>
          Keep theirs
        </Button>
        <Button size="sm" variant="default" onClick={onMine}>
          Use mine
        </Button>
      </div>
    </div>
  );
}
