import type { Schemas, WholeHousehold } from "../api/client";
import { amps, distance, type Manner } from "../shared/format";
import classes from "./Household.module.css";
import { useRowEdit } from "./household.queries";

interface Props {
  chain: Schemas["VehicleChain"];
  whole: WholeHousehold;
  manner: Manner;
}

/** A car that could hang on a lead that is not its usual one: what it would get there, and the way to move it. */
export function Reach({ chain, whole, manner }: Props) {
  const edit = useRowEdit();
  const car = whole.vehicles.find((one) => one.id === chain.id);
  if (!car) return null;
  return (
    <li className={classes.node}>
      <p className={classes.reach}>
        <span>
          {car.name} here:{" "}
          {chain.no_charge ? (
            `does not charge, ${chain.no_charge}`
          ) : (
            <>
              {amps(chain.amps)}
              {chain.phases > 1 && ` × ${chain.phases}`}, {chain.wall_kw.toFixed(1)} kW,{" "}
              {distance(chain.km_per_h, manner)} an hour ({chain.rate_source}); the {chain.bottleneck} decides
              {chain.costs_power.map((cost) => `; also: ${cost}`)}
            </>
          )}
        </span>
        <button
          type="button"
          disabled={edit.isPending}
          onClick={() =>
            edit.mutate({ kind: "vehicle", id: car.id ?? 0, version: car.version, values: { lead_id: chain.lead } })
          }
        >
          Hang {car.name} here
        </button>
        {edit.error && <span role="alert">{edit.error.message}</span>}
      </p>
    </li>
  );
}
