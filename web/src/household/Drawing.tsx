import type { WholeHousehold } from "../api/client";
import { amps, type Manner } from "../shared/format";
import { Chain } from "./Chain";
import { CIRCUIT, FEEDER, LEAD, SUPPLY, VEHICLE } from "./fields";
import { Node } from "./Node";
import { Reach } from "./Reach";
import type { Question } from "./steps";

interface Props {
  whole: WholeHousehold;
  manner: Manner;
  question?: Question;
  onSupplied: () => void;
}

/** The one drawing, from the supply to the cars. */
export function Drawing({ whole, manner, question, onSupplied }: Props) {
  const { household, drawing } = whole;
  const power = (of: { id: number; amps: number; kw: number }[], id: number) => {
    const found = of.find((each) => each.id === id);
    return (
      found && (found.amps > 0 ? `lets ${amps(found.amps)} through, ${found.kw.toFixed(1)} kW` : "lets nothing through")
    );
  };
  const circuitDefaults = {
    voltage_v: household.leg_voltage_v,
    continuous_factor: household.continuous_factor,
    phases: 1,
    kind: "dedicated",
  };
  return (
    <Node
      kind="household"
      title="Supply"
      tells={`${household.legs} × ${household.leg_voltage_v} V; ${amps(drawing.supply.amps)} a leg for hours, ${drawing.supply.kw.toFixed(1)} kW`}
      fields={SUPPLY}
      whole={whole}
      row={{ ...household, id: undefined, version: household.version }}
      asks={question === "supply"}
      onSaved={onSupplied}
    >
      {whole.feeders.map((feeder) => (
        <Node
          key={feeder.id}
          kind="feeder"
          title={feeder.name}
          tells={`panel of ${amps(feeder.rating_a)}`}
          fields={FEEDER}
          whole={whole}
          row={feeder as never}
        />
      ))}
      {whole.circuits.map((circuit) => (
        <Node
          key={circuit.id}
          kind="circuit"
          title={circuit.name}
          tells={power(drawing.circuits, circuit.id ?? 0)}
          fields={CIRCUIT}
          whole={whole}
          row={circuit as never}
        >
          {whole.leads
            .filter((lead) => lead.circuit_id === circuit.id)
            .map((lead) => (
              <Node
                key={lead.id}
                kind="lead"
                title={lead.name}
                tells={power(drawing.leads, lead.id ?? 0)}
                fields={LEAD}
                whole={whole}
                row={lead as never}
              >
                {whole.vehicles
                  .filter((vehicle) => vehicle.lead_id === lead.id)
                  .map((vehicle) => {
                    const chain = drawing.vehicles.find((each) => each.id === vehicle.id);
                    return (
                      <Node
                        key={vehicle.id}
                        kind="vehicle"
                        title={vehicle.name}
                        tells={chain && <Chain chain={chain} manner={manner} />}
                        fields={VEHICLE}
                        whole={whole}
                        row={vehicle as never}
                      />
                    );
                  })}
                {drawing.reach
                  .filter((chain) => chain.lead === lead.id)
                  .map((chain) => (
                    <Reach key={chain.id} chain={chain} whole={whole} manner={manner} />
                  ))}
                <Node
                  kind="vehicle"
                  title="+ A car"
                  fields={VEHICLE}
                  whole={whole}
                  defaults={{
                    lead_id: lead.id,
                    onboard_phases: 1,
                    control: "timer",
                    daily_limit_pct: 80,
                    reserve_pct: 15,
                  }}
                  asks={question === "vehicle"}
                />
              </Node>
            ))}
          <Node
            kind="lead"
            title="+ A wall unit or lead"
            fields={LEAD}
            whole={whole}
            defaults={{ circuit_id: circuit.id, phases: circuit.phases, control: "hand", min_a: 6 }}
            asks={question === "lead"}
          />
        </Node>
      ))}
      <Node
        kind="circuit"
        title="+ A circuit"
        fields={CIRCUIT}
        whole={whole}
        defaults={circuitDefaults}
        asks={question === "circuit"}
      />
      {household.set_up && (
        <Node
          kind="feeder"
          title="+ A panel in between"
          fields={FEEDER}
          whole={whole}
          defaults={{ continuous_factor: household.continuous_factor, legs: ["L1"] }}
        />
      )}
    </Node>
  );
}
