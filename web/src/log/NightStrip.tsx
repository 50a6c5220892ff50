import { heights, hours, timeAxis } from "../shared/axis";
import { clock, type Manner } from "../shared/format";
import classes from "./Log.module.css";
import type { CarLogged, LoggedNight } from "./log.queries";

const WIDE = 1000;
const HIGH = 26;
/** About as wide as two clock times are apart, in parts of the drawing. */
const APART = 90;

interface Block {
  start: string;
  end: string;
  kw: number;
}

function blockOf({ start, end, wall_kwh }: { start: string; end: string; wall_kwh: number }): Block {
  return { start, end, kw: wall_kwh / ((Date.parse(end) - Date.parse(start)) / 3_600_000) };
}

/** The night's hours, over the strips of its cars. */
export function NightHours({ night, manner }: { night: LoggedNight; manner: Manner }) {
  const x = timeAxis(night.start, night.end, WIDE, 0);
  return (
    <div className={classes.hours} aria-hidden="true">
      {hours(x, APART, manner).map((at) => (
        <span key={at.getTime()} style={{ left: `${(x(at) / WIDE) * 100}%` }}>
          {clock(at.toISOString(), manner)}
        </span>
      ))}
    </div>
  );
}

/** A car's night from noon to noon: what was planned in outline, what was charged filled in, as high as its power. */
export function NightStrip({ night, car, manner }: { night: LoggedNight; car: CarLogged; manner: Manner }) {
  const x = timeAxis(night.start, night.end, WIDE, 0);
  const planned = (car.planned ?? []).map(blockOf);
  const charged = car.sessions.map(blockOf);
  const y = heights(Math.max(1e-9, ...[...planned, ...charged].map(({ kw }) => kw)), 2, HIGH);
  const drawn = ({ start, end, kw }: Block) => {
    const from = x(new Date(start));
    return { x: from, y: y(kw), width: Math.max(3, x(new Date(end)) - from), height: HIGH - y(kw) };
  };
  return (
    <svg className={classes.strip} viewBox={`0 0 ${WIDE} ${HIGH}`} preserveAspectRatio="none" aria-hidden="true">
      {hours(x, APART, manner).map((at) => (
        <line key={at.getTime()} className={classes.hour} x1={x(at)} x2={x(at)} y1={0} y2={HIGH} />
      ))}
      {charged.map((block) => (
        <rect key={block.start} className={classes.charged} {...drawn(block)} />
      ))}
      {planned.map((block) => (
        <rect key={block.start} className={classes.planned} {...drawn(block)} />
      ))}
      <line className={classes.ground} x1={0} x2={WIDE} y1={HIGH} y2={HIGH} />
    </svg>
  );
}
