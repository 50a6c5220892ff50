import { EditProblem } from "../shared/EditProblem";
import { clock, day, type Manner } from "../shared/format";
import { TextField } from "../shared/TextField";
import classes from "./Rates.module.css";
import { type HookupOut, useEditReading } from "./rates.queries";

/** Every reading with what it says of itself; nothing is deleted, but a reading can be set aside and taken back. */
export function ReadingList({ hookup, manner }: { hookup: HookupOut; manner: Manner }) {
  const editing = useEditReading();
  if (hookup.readings.length === 0) {
    return (
      <p>
        No reading yet: the figures below stand on what such cars usually do. Ten minutes after plugging in, type what
        the display shows.
      </p>
    );
  }
  return (
    <>
      <ul className={classes.readings}>
        {[...hookup.readings].reverse().map((reading) => (
          <li key={reading.id} data-aside={!reading.fitted || undefined}>
            <span>
              {day(reading.at, manner)} {clock(reading.at, manner)}, {reading.kind}:{" "}
              {reading.battery_kw === null ? "no battery figure" : `${reading.battery_kw.toFixed(2)} kW`} of{" "}
              {reading.wall_kw.toFixed(2)} at the wall, expected {reading.expected_kw.toFixed(2)};{" "}
              <em>{reading.told}</em>
              {reading.not_fitted ? ` (not fitted: ${reading.not_fitted})` : ""}
            </span>
            <div>
              Note{" "}
              <TextField
                label="Note"
                size={Math.max(20, reading.note.length + 1)}
                value={reading.note}
                onCommit={(note) => editing.mutate({ id: reading.id, version: reading.version, note })}
              />
            </div>
            <button
              type="button"
              onClick={() => editing.mutate({ id: reading.id, version: reading.version, excluded: !reading.excluded })}
            >
              {reading.excluded ? "Take it back in" : "Set aside"}
            </button>
          </li>
        ))}
      </ul>
      <EditProblem error={editing.error} what="this reading" />
    </>
  );
}
