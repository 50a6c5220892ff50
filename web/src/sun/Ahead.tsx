import { useElementSize } from "@mantine/hooks";
import { heights, timeAxis } from "../shared/axis";
import { energy, type Manner, nightShort, percent } from "../shared/format";
import page from "../shared/Page.module.css";
import { Scrolled } from "../shared/Scrolled";
import { Simulated } from "../shared/Simulated";
import classes from "./Sun.module.css";
import type { Sun, SunDay } from "./sun.queries";

const HEIGHT = 150;
const TOP = 18;
const FOOT = 20;

/** The coming days: a clear day's curve, what the sky is forecast to leave of it, and what the house takes. */
export function Ahead({ sun, manner }: { sun: Sun; manner: Manner }) {
  const { ref, width } = useElementSize();
  const shown = width > 0 && width < 600 ? sun.days.slice(0, 4) : sun.days;
  return (
    <section aria-label="The days ahead">
      <h2>The days ahead</h2>
      <figure ref={ref} className={page.figure}>
        <figcaption>
          A clear day (line), what the sky leaves of it: in the middle of the forecast (full), and between one case of
          ten and nine (pale); and the house (dark line). kW
        </figcaption>
        {width > 0 && <Curves days={shown} width={width} />}
      </figure>
      {sun.sky.simulated && <Simulated what={[sun.sky.name]} />}
      <Scrolled label="Days ahead in figures">
        <table className={page.table}>
          <thead>
            <tr>
              {[
                "Day",
                "Clear",
                "Of it, likely",
                "10 % to 90 %",
                "Likely",
                "10 % to 90 %",
                "Left over by the house",
              ].map((name, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: the heads never move
                <th key={i} scope="col">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sun.days.map((day) => (
              <tr key={day.day}>
                <th scope="row">{nightShort(day.day)}</th>
                <td>{energy(day.clear_kwh)}</td>
                <td>{percent(day.middle * 100)}</td>
                <td>
                  {percent(day.low * 100)} to {percent(day.high * 100)}
                </td>
                <td>{energy(day.middle_kwh)}</td>
                <td>
                  {day.low_kwh.toFixed(1)} to {energy(day.high_kwh)}
                </td>
                <td>{energy(day.surplus_kwh)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Scrolled>
      <p className={page.note}>
        Times on the clock of {manner.timezone}. The middle of the forecast is planned with; what is measured later
        takes its place.
      </p>
    </section>
  );
}

function Curves({ days, width }: { days: SunDay[]; width: number }) {
  const [first, last] = [days[0], days.at(-1)];
  if (!first || !last) return null;
  const start = first.curve[0]?.at ?? "";
  const end = last.curve.at(-1)?.at ?? "";
  const x = timeAxis(start, end, width - 2, 30);
  const most = Math.max(
    1,
    ...days.flatMap((day) => day.curve.map((point) => Math.max(point.clear_kw, point.house_kw))),
  );
  const y = heights(most, TOP, HEIGHT - FOOT);
  return (
    <svg
      width={width}
      height={HEIGHT}
      role="img"
      aria-label="Sun and house of the days ahead; the table below says the same"
    >
      <text x={0} y={TOP + 4} className={page.scale}>
        {most.toFixed(1)}
      </text>
      <line x1={30} x2={width} y1={HEIGHT - FOOT} y2={HEIGHT - FOOT} className={page.rule} />
      {days.map((day) => (
        <OneDay key={day.day} day={day} x={x} y={y} />
      ))}
    </svg>
  );
}

function OneDay({ day, x, y }: { day: SunDay; x: ReturnType<typeof timeAxis>; y: ReturnType<typeof heights> }) {
  const at = (instant: string) => x(new Date(instant)).toFixed(1);
  const line = (value: (point: SunDay["curve"][number]) => number) =>
    day.curve.map((point) => `${at(point.at)} ${y(value(point)).toFixed(1)}`);
  const path = (points: string[]) => `M ${points.join(" L ")}`;
  const high = line((point) => point.clear_kw * day.high);
  const low = line((point) => point.clear_kw * day.low).reverse();
  const noon = day.curve[Math.floor(day.curve.length / 2)]?.at ?? day.day;
  const begins = day.curve[0]?.at ?? "";
  return (
    <g>
      <line x1={at(begins)} x2={at(begins)} y1={TOP} y2={HEIGHT - FOOT} className={page.rule} />
      <path d={`${path([...high, ...low])} Z`} className={classes.spread} />
      <path d={`${path(line((point) => point.clear_kw * day.middle))} Z`} className={classes.likely} />
      <path d={path(line((point) => point.clear_kw))} className={classes.clear} />
      <path d={path(line((point) => point.house_kw))} className={classes.house} />
      <text x={at(noon)} y={HEIGHT - 5} textAnchor="middle" className={page.scale}>
        {nightShort(day.day)}
      </text>
    </g>
  );
}
