import type { Schemas } from "../api/client";
import { amps, counted, distance, type Manner } from "../shared/format";

/** What a chain gives, in a sentence: power, range in an hour and in the night, and which link decides. */
export function Given({ outlook, manner }: { outlook: Schemas["OutlookOut"]; manner: Manner }) {
  if (outlook.no_charge) return <>It does not charge: {outlook.no_charge}.</>;
  return (
    <>
      {amps(outlook.amps)} on {counted(outlook.phases, "phase")}: {outlook.wall_kw.toFixed(2)} kW at the wall,{" "}
      {outlook.battery_kw.toFixed(2)} into the battery, {distance(outlook.range_km_per_h, manner)} an hour,{" "}
      {distance(outlook.night_km, manner)} by the next departure
      {outlook.hours === null ? "" : `, ${outlook.hours.toFixed(1)} h to the daily limit`}. The {outlook.bottleneck}{" "}
      decides{outlook.next ? `, then the ${outlook.next}` : ""}.{outlook.costs_power.map((cost) => ` Also: ${cost}.`)}
    </>
  );
}
