import { useElementSize } from "@mantine/hooks";
import { scaleLinear } from "d3-scale";
import { Link } from "react-router";
import { heights } from "../shared/axis";
import { BringFile } from "../shared/BringFile";
import { energy, type Manner, nightShort } from "../shared/format";
import { moments, zoneAsked } from "../shared/moments";
import page from "../shared/Page.module.css";
import classes from "./Sun.module.css";
import { bringSeries, type Sun, useTakeLoad } from "./sun.queries";
import { units } from "./units";

const HEIGHT = 120;
type Steps = Sun["base_load_kw"];

/** What the house takes by itself over a day: as it is planned with, and as its meter tells it. */
export function HouseLoad({ sun, manner }: { sun: Sun; manner: Manner }) {
  const { ref, width } = useElementSize();
  const taking = useTakeLoad(sun.household_version);
  const { learned_load: learned } = sun;
  const same = learned !== null && JSON.stringify(learned.profile) === JSON.stringify(sun.base_load_kw);
  return (
    <section aria-label="The house itself">
      <h2>The house itself</h2>
      {sun.base_load_kw.length === 0 && learned === null && (
        <p>
          Nothing is known of it, so all the sun counts as left over. Type a usual day under{" "}
          <Link to="/household">Household</Link>, or bring what the meter counted in a week or more.
        </p>
      )}
      {(sun.base_load_kw.length > 0 || learned) && (
        <figure ref={ref} className={page.figure}>
          <figcaption>
            kW over a day: planned with (line){learned && !same && ", as the meter tells it (broken line)"}
          </figcaption>
          {width > 0 && <Profile planned={sun.base_load_kw} learned={learned?.profile ?? []} width={width} />}
        </figure>
      )}
      {learned && (
        <p>
          Learned from {learned.n_days} days of the meter: {energy(learned.kwh_a_day)} a day.{" "}
          {learned.cars_known
            ? "The cars' own charging is taken out."
            : "What the cars took is not known and stands in it as far as it is usual: bring their meter, and it is taken out."}{" "}
          {same ? (
            "It is planned with."
          ) : (
            <button type="button" disabled={taking.isPending} onClick={() => taking.mutate()}>
              Plan with it
            </button>
          )}
          {taking.error && <span role="alert">{taking.error.message}</span>}
        </p>
      )}
      <ul className={classes.kept}>
        {sun.series.map(({ kind, title, span }) => (
          <li key={kind}>
            {title}:{" "}
            {span ? `${nightShort(span.first)} to ${nightShort(span.last)}, ${span.days} days` : "nothing kept"}
          </li>
        ))}
      </ul>
      {(
        [
          ["grid", "Bring what the house meter counted", "What came in from the grid"],
          ["export", "Bring what the meter counted as fed in", "What went out to the grid"],
          ["cars", "Bring what the cars' own meter counted", "What the wall unit gave the cars"],
        ] as const
      ).map(([kind, title, what]) => (
        <BringFile
          key={kind}
          title={title}
          one="step"
          accept=".csv,text/csv,.xml,text/xml,application/xml"
          asks={[
            {
              name: "green_button",
              label: "The file is",
              choices: [
                ["false", "CSV"],
                ["true", "Green Button XML"],
              ],
            },
            units,
            zoneAsked(manner),
          ]}
          send={(form) => bringSeries(kind, form)}
          moment={moments(manner)}
        >
          {what}: CSV with a heading, start and kwh (or kw, wh, w), and end where it is known; or Green Button XML,
          which knows its own times and units.
        </BringFile>
      ))}
    </section>
  );
}

function Profile({ planned, learned, width }: { planned: Steps; learned: Steps; width: number }) {
  const x = scaleLinear([0, 24], [30, width - 4]);
  const most = Math.max(1, ...[...planned, ...learned].map(([, kw]) => Number(kw)));
  const y = heights(most, 10, HEIGHT - 20);
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label="The house's load over a day">
      <text x={0} y={14} className={page.scale}>
        {most.toFixed(1)}
      </text>
      {[0, 6, 12, 18, 24].map((hour) => (
        <g key={hour}>
          <line x1={x(hour)} x2={x(hour)} y1={10} y2={HEIGHT - 20} className={page.rule} />
          <text x={x(hour)} y={HEIGHT - 5} textAnchor={hour === 24 ? "end" : "middle"} className={page.scale}>
            {String(hour % 24).padStart(2, "0")}:00
          </text>
        </g>
      ))}
      <line x1={30} x2={width} y1={HEIGHT - 20} y2={HEIGHT - 20} className={page.rule} />
      <path d={stepped(learned, x, y)} className={classes.learned} />
      <path d={stepped(planned, x, y)} className={classes.house} />
    </svg>
  );
}

/** A profile by the clock: before its first entry the last one holds. */
function stepped(profile: Steps, x: (hour: number) => number, y: (kw: number) => number): string {
  const first = profile.at(-1);
  if (!first) return "";
  let path = `M ${x(0)} ${y(Number(first[1]))}`;
  for (const [clock, kw] of profile) {
    const [hour = 0, minute = 0] = String(clock).split(":").map(Number);
    path += ` H ${x(hour + minute / 60).toFixed(1)} V ${y(Number(kw)).toFixed(1)}`;
  }
  return `${path} H ${x(24)}`;
}
