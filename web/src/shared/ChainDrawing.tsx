import type { Schemas } from "../api/client";
import classes from "./ChainDrawing.module.css";
import { amps } from "./format";

interface Props {
  links: Schemas["Link"][];
  bottleneck: string | null;
  next: string | null;
}

const STEP = 68;
const MIDDLE = 22;
const HIGHEST = 36;
const LOWEST = 4;

/** A hook-up's chain as a channel from the panel to the battery: as wide as each link lets current through. */
export function ChainDrawing({ links, bottleneck, next }: Props) {
  const most = Math.max(1, ...links.map((one) => one.amps));
  const height = (a: number) => Math.max(LOWEST, (Math.max(0, a) / most) * HIGHEST);
  const width = links.length * STEP;
  const told = links.map((one) => `${one.link} ${amps(one.amps)}`).join(", ");
  return (
    <svg
      className={classes.chain}
      viewBox={`0 0 ${width} 74`}
      style={{ maxWidth: width * 1.3 }}
      role="img"
      aria-label={`${told}${bottleneck ? `; the ${bottleneck} decides` : ""}${next ? `, then the ${next}` : ""}`}
    >
      {links.map((one, nth) => {
        const x = nth * STEP;
        const half = height(one.amps) / 2;
        const after = height(links[nth + 1]?.amps ?? one.amps) / 2;
        const decides = one.link === bottleneck;
        return (
          <g key={one.link} className={decides ? classes.decides : undefined}>
            <path
              className={classes.link}
              d={`M${x},${MIDDLE - half}h${STEP - 12}l12,${half - after}v${2 * after}l-12,${half - after}h${12 - STEP}z`}
            />
            <text x={x + STEP / 2 - 4} y={55} textAnchor="middle">
              {decides ? `▸ ${one.link}` : one.link}
            </text>
            <text x={x + STEP / 2 - 4} y={70} textAnchor="middle" className={classes.figure}>
              {amps(one.amps)}
              {one.link === next ? " next" : ""}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
