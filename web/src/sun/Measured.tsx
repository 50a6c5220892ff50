import { useElementSize } from "@mantine/hooks";
import { scaleBand } from "d3-scale";
import { heights } from "../shared/axis";
import { BringFile } from "../shared/BringFile";
import { type Manner, nightShort } from "../shared/format";
import { moments, zoneAsked } from "../shared/moments";
import page from "../shared/Page.module.css";
import classes from "./Sun.module.css";
import { bringSeries, type Sun, useTakeCorrection } from "./sun.queries";
import { units } from "./units";

const HEIGHT = 130;

/** What the roof gave beside what the model says it should have, and the correction that suggests. */
export function Measured({ sun, manner }: { sun: Sun; manner: Manner }) {
  const { ref, width } = useElementSize();
  const taking = useTakeCorrection();
  const { correction } = sun;
  return (
    <section aria-label="Measured output">
      <h2>Measured output</h2>
      {sun.measured.length === 0 && (
        <p>Nothing measured yet. Bring the roof's own figures, and the model is laid beside them and corrected.</p>
      )}
      {sun.measured.length > 0 && (
        <figure ref={ref} className={page.figure}>
          <figcaption>kWh a day: measured (bars), and the model under the sky that was (marks)</figcaption>
          {width > 0 && <Bars days={sun.measured} width={width} />}
        </figure>
      )}
      {correction && (
        <p>
          Over {correction.n_days} bright days the roof gave <strong>{Math.round(correction.factor * 100)} %</strong> of
          what the model says (the middle half of them within ± {Math.round(correction.spread * 100)} %).{" "}
          {Math.abs(correction.factor - 1) < 0.01 ? (
            "They agree."
          ) : (
            <button type="button" disabled={taking.isPending} onClick={() => taking.mutate()}>
              Correct the roof by it
            </button>
          )}
          {taking.error && <span role="alert">{taking.error.message}</span>}
        </p>
      )}
      <BringFile
        title="Bring the roof's output from a file"
        one="step"
        asks={[units, zoneAsked(manner)]}
        send={(form) => bringSeries("sun", form)}
        moment={moments(manner)}
      >
        CSV with a heading: start and kwh (or kw, wh, w), and end where it is known.
      </BringFile>
    </section>
  );
}

function Bars({ days, width }: { days: Sun["measured"]; width: number }) {
  const shown = days.slice(-Math.max(14, Math.floor(width / 14)));
  const x = scaleBand(
    shown.map((day) => day.day),
    [30, width - 2],
  ).padding(0.25);
  const most = Math.max(1, ...shown.map((day) => Math.max(day.measured_kwh, day.modelled_kwh)));
  const y = heights(most, 10, HEIGHT - 20);
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label="Measured and modelled output, day by day">
      <text x={0} y={14} className={page.scale}>
        {most.toFixed(0)}
      </text>
      <line x1={30} x2={width} y1={HEIGHT - 20} y2={HEIGHT - 20} className={page.rule} />
      {shown.map((day, i) => {
        const left = x(day.day) ?? 0;
        return (
          <g key={day.day}>
            <title>
              {nightShort(day.day)}: measured {day.measured_kwh.toFixed(1)} kWh, model {day.modelled_kwh.toFixed(1)} kWh
            </title>
            <rect
              x={left}
              y={y(day.measured_kwh)}
              width={x.bandwidth()}
              height={y(0) - y(day.measured_kwh)}
              className={classes.bar}
            />
            <line
              x1={left - 2}
              x2={left + x.bandwidth() + 2}
              y1={y(day.modelled_kwh)}
              y2={y(day.modelled_kwh)}
              className={classes.model}
            />
            {i % 7 === 0 && (
              <text x={left} y={HEIGHT - 5} className={page.scale}>
                {nightShort(day.day).split(" ").slice(1).join(" ")}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}
