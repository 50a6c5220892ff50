import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";
import classes from "./Rates.module.css";
import type { HookupOut } from "./rates.queries";

const WIDTH = 520;
const HEIGHT = 280;
const LEFT = 44;
const BOTTOM = 36;

/** Battery power over wall power: the fitted line, what a night brings in eight cases of ten, and the readings. */
export function RateLine({ hookup }: { hookup: HookupOut }) {
  const { band } = hookup;
  const seen = hookup.readings.filter((reading) => reading.battery_kw !== null);
  if (band.length === 0) return null;
  const most = Math.max(...band.map((p) => p.wall_kw), ...seen.map((r) => r.wall_kw)) * 1.06;
  const top = Math.max(...band.map((p) => p.high_kw), ...seen.map((r) => r.battery_kw ?? 0)) * 1.08;
  const x = scaleLinear([0, most], [LEFT, WIDTH - 8]);
  const y = scaleLinear([0, top], [HEIGHT - BOTTOM, 8]);
  const spread = area<(typeof band)[number]>()
    .x((p) => x(p.wall_kw))
    .y0((p) => y(p.low_kw))
    .y1((p) => y(p.high_kw));
  const mean = line<(typeof band)[number]>()
    .x((p) => x(p.wall_kw))
    .y((p) => y(p.mean_kw));
  return (
    <figure className={classes.figure}>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label="Battery power over wall power, with its readings">
        {x.ticks(5).map((kw) => (
          <g key={kw}>
            <line x1={x(kw)} x2={x(kw)} y1={8} y2={HEIGHT - BOTTOM} className={classes.rule} />
            <text x={x(kw)} y={HEIGHT - BOTTOM + 15} textAnchor="middle" className={classes.tick}>
              {kw}
            </text>
          </g>
        ))}
        {y.ticks(4).map((kw) => (
          <g key={kw}>
            <line x1={LEFT} x2={WIDTH - 8} y1={y(kw)} y2={y(kw)} className={classes.rule} />
            <text x={LEFT - 6} y={y(kw) + 4} textAnchor="end" className={classes.tick}>
              {kw}
            </text>
          </g>
        ))}
        <path d={spread(band) ?? undefined} className={classes.spread} />
        <path d={mean(band) ?? undefined} className={classes.mean} />
        {seen.map((reading) =>
          reading.fitted ? (
            <circle
              key={reading.id}
              cx={x(reading.wall_kw)}
              cy={y(reading.battery_kw ?? 0)}
              r={5}
              className={classes.point}
            >
              <title>{reading.told}</title>
            </circle>
          ) : (
            <path
              key={reading.id}
              d={`M${x(reading.wall_kw) - 5},${y(reading.battery_kw ?? 0) - 5}l10,10m0,-10l-10,10`}
              className={classes.aside}
            >
              <title>{`${reading.not_fitted}: ${reading.told}`}</title>
            </path>
          ),
        )}
        <text x={WIDTH - 8} y={HEIGHT - 4} textAnchor="end" className={classes.tick}>
          kW at the wall
        </text>
        <text x={LEFT} y={HEIGHT - 4} className={classes.tick}>
          up: kW into the battery
        </text>
      </svg>
      <figcaption>
        The line is the mean; eight nights of ten lie in the shade, and being ready goes by its lower edge. Dots are
        fitted readings, crosses are kept and not fitted.
      </figcaption>
    </figure>
  );
}
