import { type ReactNode, useState } from "react";
import type { WholeHousehold } from "../api/client";
import type { FieldSpec, Kind } from "./fields";
import classes from "./Household.module.css";
import type { Values } from "./household.queries";
import { RowForm } from "./RowForm";

interface Props {
  kind: Kind;
  title: string;
  tells?: ReactNode;
  fields: FieldSpec[];
  whole: WholeHousehold;
  row?: Values & { id?: number; version: number };
  defaults?: Values;
  asks?: boolean;
  onSaved?: () => void;
  children?: ReactNode;
}

/** One link of the drawing: what it is and lets through; pressed, it asks. What hangs on it is drawn under it. */
export function Node({ kind, title, tells, fields, whole, row, defaults, asks, onSaved, children }: Props) {
  const [open, setOpen] = useState(false);
  const shown = open || Boolean(asks);
  return (
    <li className={classes.node}>
      <div className={row ? classes.part : classes.missing}>
        {row || !shown ? (
          <button type="button" className={classes.head} aria-expanded={shown} onClick={() => setOpen(!open)}>
            <strong>{title}</strong>
            {tells && <span className={classes.tells}>{tells}</span>}
          </button>
        ) : (
          <h3 className={classes.asks}>{title}</h3>
        )}
        {shown && (
          <RowForm
            kind={kind}
            name={title}
            fields={fields}
            whole={whole}
            row={row}
            defaults={defaults}
            onDone={() => {
              setOpen(false);
              onSaved?.();
            }}
            onCancel={asks ? undefined : () => setOpen(false)}
          />
        )}
      </div>
      {children && <ul className={classes.branch}>{children}</ul>}
    </li>
  );
}
