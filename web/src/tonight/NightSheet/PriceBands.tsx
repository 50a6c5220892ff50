import type { Schemas } from "../../api/client";
import { DepthBox, DepthHatches } from "../../shared/DepthHatch";
import { price } from "../../shared/format";
import classes from "./NightSheet.module.css";
import type { Place } from "./place";
import { RowName } from "./RowName";

/** Prices in five steps of depth, each with its own hatch, so that no colour is needed to tell them apart. */
export function PriceBands({ runs, ...place }: Place & { runs: Schemas["PriceRun"][] }) {
  const { x, top, height, end } = place;
  return (
    <g>
      <DepthHatches />
      <RowName name="Price" note="a kWh" place={place} />
      {runs.map((run) => {
        const from = x(new Date(run.start));
        const width = x(new Date(Math.min(+new Date(run.end), +new Date(end)))) - from;
        const label = `${run.band} ${price(run.price)}`;
        const short = price(run.price);
        const text = width > label.length * 7 + 10 ? label : width > short.length * 7 + 8 ? short : "";
        return (
          <g key={run.start}>
            <DepthBox depth={run.depth} x={from} y={top} width={width} height={height} className={classes.band} />
            {text && (
              <>
                <rect className={classes.plate} x={from + 4} y={top + 8} width={text.length * 6.9 + 8} height={18} />
                <text className={classes.label} x={from + 8} y={top + 21}>
                  {text}
                </text>
              </>
            )}
          </g>
        );
      })}
    </g>
  );
}
