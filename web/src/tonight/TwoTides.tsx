import { useElementSize } from "@mantine/hooks";
import { line } from "d3-shape";
import type { Schemas } from "../api/client";
import { heights, hours, type Point, timeAxis } from "../shared/axis";
import { clock, energy, type Manner, money, percent } from "../shared/format";
import water from "../shared/Tide.module.css";
import classes from "./Tonight.module.css";

interface Props {
  theirs: Schemas["CarNight"];
  mine: Schemas["CarNight"];
  manner: Manner;
}

const HEIGHT = 110;
const FOOT = 18;
const LEFT = 38;
const MARKS = [0, 50, 100];

/** A car's night as it is and as it would be, laid over each other on one time axis. */
export function TwoTides({ theirs, mine, manner }: Props) {
  const { ref, width } = useElementSize();
  const points = [...theirs.tide, ...mine.tide];
  const ends = points.map(({ at }) => at).sort((one, other) => Date.parse(one) - Date.parse(other));
  const [start, end] = [ends[0], ends.at(-1)];
  if (start === undefined || end === undefined) return null;
  const x = timeAxis(start, end, Math.max(200, width - 2), LEFT);
  const y = heights(100, 6, HEIGHT - FOOT);
  const curve = line<Point>(
    ({ at }) => x(new Date(at)),
    ({ value }) => y(value),
  );
  return (
    <figure className={classes.twoTides} ref={ref}>
      <svg width={width} height={HEIGHT} role="img" aria-label="SoC through the night with their change and with yours">
        {MARKS.map((mark) => (
          <g key={mark}>
            <line className={classes.mark} x1={LEFT} x2={x(new Date(end))} y1={y(mark)} y2={y(mark)} />
            <text className={classes.markName} x={LEFT - 4} y={y(mark) + 4} textAnchor="end">
              {percent(mark)}
            </text>
          </g>
        ))}
        {hours(x, 60, manner).map((hour) => (
          <text
            key={+hour}
            className={classes.markName}
            x={x(hour)}
            y={HEIGHT - 3}
            textAnchor={x(hour) > x(new Date(end)) - 18 ? "end" : "middle"}
          >
            {clock(hour.toISOString(), manner)}
          </text>
        ))}
        <path className={water.tide} d={curve(theirs.tide) ?? ""} />
        <path className={classes.mine} d={curve(mine.tide) ?? ""} />
      </svg>
      <figcaption>
        <Told className={classes.theirsKey} whose="Theirs" night={theirs} manner={manner} />
        <Told className={classes.mineKey} whose="Yours" night={mine} manner={manner} />
      </figcaption>
    </figure>
  );
}

interface ToldProps {
  className: string | undefined;
  whose: string;
  night: Schemas["CarNight"];
  manner: Manner;
}

function Told({ className, whose, night, manner }: ToldProps) {
  return (
    <span className={className}>
      {whose}: {percent(night.soc_to_pct)}, {energy(night.wall_kwh)}, {money(night.cost, manner)}
    </span>
  );
}
