import { EditProblem } from "../shared/EditProblem";
import type { Manner } from "../shared/format";
import { Given } from "./Given";
import classes from "./Rates.module.css";
import { type HookupOut, useThrowOptionAway } from "./rates.queries";

/** What-ifs of this hook-up that were kept for later. */
export function Options({ hookup, manner }: { hookup: HookupOut; manner: Manner }) {
  const throwing = useThrowOptionAway();
  if (hookup.options.length === 0) return null;
  return (
    <>
      <h3 className={classes.kept}>Kept as options</h3>
      <ul className={classes.readings}>
        {hookup.options.map((option) => (
          <li key={option.id}>
            <span>
              <strong>{option.name}</strong>: <Given outlook={option.outlook} manner={manner} />
            </span>
            <button
              type="button"
              aria-label={`Throw away ${option.name}`}
              disabled={throwing.isPending}
              onClick={() => throwing.mutate({ id: option.id, version: option.version })}
            >
              Throw away
            </button>
          </li>
        ))}
      </ul>
      <EditProblem error={throwing.error} what="this option" />
    </>
  );
}
