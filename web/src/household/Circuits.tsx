import type { WholeHousehold } from "../api/client";
import { amps, type Manner } from "../shared/format";
import { Chain } from "./Chain";
import { CIRCUIT, LEAD, VEHICLE } from "./fields";
import { Node } from "./Node";
import { Reach } from "./Reach";
import type { Question } from "./steps";

interface Props {
  whole: WholeHousehold;
  manner: Manner;
  question?: Question;
}

/** The circuits of a panel, or of the supply itself, with what hangs on them, and one more. */
export function Circuits({ whole, manner, question, feederId }: Props & { feederId: number | null }) {
  const { household, drawing } = whole;
  return (
    <>
      {whole.circuits
        .filter((circuit) => (circuit.feeder_id ?? null) === feederId)
        .map((circuit) => (
          <Node
            key={circuit.id}
            kind="circuit"
            title={circuit.name}
            tells={power(drawing.circuits, circuit.id)}
            fields={CIRCUIT}
            whole={whole}
            row={circuit as never}
          >
            <Leads whole={whole} manner={manner} question={question} circuit={circuit} />
          </Node>
        ))}
      <Node
        kind="circuit"
        title="+ A circuit"
        fields={CIRCUIT}
        whole={whole}
        defaults={{
          feeder_id: feederId,
          voltage_v: household.leg_voltage_v,
          continuous_factor: household.continuous_factor,
          phases: 1,
          kind: "dedicated",
        }}
        asks={question === "circuit"}
      />
    </>
  );
}

function Leads({ whole, manner, question, circuit }: Props & { circuit: WholeHousehold["circuits"][number] }) {
  return (
    <>
      {whole.leads
        .filter((lead) => lead.circuit_id === circuit.id)
        .map((lead) => (
          <Node
            key={lead.id}
            kind="lead"
            title={lead.name}
            tells={power(whole.drawing.leads, lead.id)}
            fields={LEAD}
            whole={whole}
            row={lead as never}
          >
            <Cars whole={whole} manner={manner} question={question} lead={lead} />
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
    </>
  );
}

function Cars({ whole, manner, question, lead }: Props & { lead: WholeHousehold["leads"][number] }) {
  const { drawing } = whole;
  return (
    <>
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
        defaults={{ lead_id: lead.id, onboard_phases: 1, control: "timer", daily_limit_pct: 80, reserve_pct: 15 }}
        asks={question === "vehicle"}
      />
    </>
  );
}

function power(of: { id: number; amps: number; kw: number }[], id: number | null | undefined) {
  const found = of.find((each) => each.id === id);
  return (
    found && (found.amps > 0 ? `lets ${amps(found.amps)} through, ${found.kw.toFixed(1)} kW` : "lets nothing through")
  );
}
