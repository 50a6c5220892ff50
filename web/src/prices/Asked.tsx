import { useState } from "react";
import { day, type Manner, price, weekday } from "../shared/format";
import { TextField } from "../shared/TextField";
import { TimeField } from "../shared/TimeField";
import classes from "./Prices.module.css";
import { type Tariff, usePaid } from "./prices.queries";

/** "What do I pay then, and by which line?", for a day and a clock time, holidays and dated prices included. */
export function Asked({ tariff, now, manner }: { tariff: Tariff; now: string; manner: Manner }) {
  const [on, setOn] = useState(day(now, manner));
  const [time, setTime] = useState("02:00");
  const paid = usePaid(tariff, `${on}T${time}`);
  const found = paid.data;
  return (
    <p className={classes.asked}>
      What do I pay on <TextField label="Day asked for" size={11} value={on} onCommit={setOn} /> at{" "}
      <TimeField label="Time asked for" value={time} onCommit={setTime} />?{" "}
      <span aria-live="polite">
        {paid.error
          ? "A day such as 2026-01-17 and a time such as 02:00 are asked for."
          : found && (
              <>
                <strong>{price(found.price)}</strong> a kWh on that {weekday(found.at, manner)}
                {found.holiday && ", a holiday"}:{" "}
                {found.dated
                  ? "a dated price, which wins over every line."
                  : found.line === null
                    ? "the default price, since no line matches."
                    : `line ${found.line + 1}, ${found.name}.`}
                {found.beaten.length > 0 && ` Further down ${found.beaten.join(" and ")} would match too.`}
              </>
            )}
      </span>
    </p>
  );
}
