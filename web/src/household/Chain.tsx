import type { Schemas } from "../api/client";
import { ChainDrawing } from "../shared/ChainDrawing";
import { amps, distance, type Manner } from "../shared/format";
import classes from "./Household.module.css";

/** A car's chain in amps, the bottleneck marked and the next link named. */
export function Chain({ chain, manner }: { chain: Schemas["VehicleChain"]; manner: Manner }) {
  return (
    <span className={classes.chain}>
      <ChainDrawing links={chain.links} bottleneck={chain.bottleneck} next={chain.next} />
      {chain.no_charge ? (
        <span>does not charge: {chain.no_charge}</span>
      ) : (
        <span>
          {amps(chain.amps)}
          {chain.phases > 1 && ` × ${chain.phases}`}: {chain.wall_kw.toFixed(1)} kW at the wall,{" "}
          {chain.battery_kw.toFixed(1)} kW into the battery ({chain.rate_source}), {distance(chain.km_per_h, manner)}{" "}
          per hour. The {chain.bottleneck} decides
          {chain.next && `; raise it and the ${chain.next} does`}.{chain.costs_power.map((cost) => ` Also: ${cost}.`)}
        </span>
      )}
    </span>
  );
}
