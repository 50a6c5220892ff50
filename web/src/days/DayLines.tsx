import type { TimeAxis } from "../shared/axis";
import type { Manner } from "../shared/format";
import { moved, wall } from "../shared/wall";
import classes from "./Days.module.css";

interface Props {
  x: TimeAxis;
  height: number;
  left: number;
  narrow: boolean;
  manner: Manner;
}

/** Midnights of the house across the sheet, each day by its name. */
export function DayLines({ x, height, left, narrow, manner }: Props) {
  const [start, end] = x.domain() as [Date, Date];
  const days: { at: number; name: string }[] = [];
  let day = wall(start.toISOString(), manner.timezone).slice(0, 10);
  for (let hour = Math.ceil(start.getTime() / 3600_000); hour * 3600_000 < end.getTime(); hour += 1) {
    const at = new Date(hour * 3600_000);
    const today = wall(at.toISOString(), manner.timezone).slice(0, 10);
    if (today !== day) days.push({ at: x(at), name: today });
    day = today;
  }
  const right = x.range()[1] ?? 0;
  const apart = (days[1]?.at ?? 0) - (days[0]?.at ?? 0);
  const first = moved(`${days[0]?.name ?? day}T00:00`, -24 * 60).slice(0, 10);
  return (
    <g>
      {(days[0]?.at ?? 0) - left > 84 && (
        <text className={classes.day} x={left + 4} y={16}>
          {named(first, apart, narrow)}
        </text>
      )}
      {days.map(({ at, name }) => (
        <g key={name}>
          <line className={classes.midnight} x1={at} x2={at} y1={4} y2={height} />
          {right - at > 34 && (
            <text className={classes.day} x={at + 4} y={16}>
              {named(name, Math.min(apart, right - at), narrow)}
            </text>
          )}
        </g>
      ))}
    </g>
  );
}

function named(day: string, apart: number, narrow: boolean): string {
  const at = new Date(`${day}T12:00:00Z`);
  const weekday = new Intl.DateTimeFormat("en-GB", { weekday: apart > 110 ? "long" : "short", timeZone: "UTC" });
  const short = weekday.format(at);
  if (narrow && apart < 40) return short.slice(0, 2);
  return apart > 70 ? `${short} ${at.getUTCDate()}` : short;
}
