import type { WholeHousehold } from "../api/client";
import { amps, type Manner } from "../shared/format";
import { Circuits } from "./Circuits";
import { FEEDER, SUPPLY } from "./fields";
import { Node } from "./Node";
import type { Question } from "./steps";

interface Props {
  whole: WholeHousehold;
  manner: Manner;
  question?: Question;
  onSupplied: () => void;
}

/** The one drawing, from the supply to the cars; what hangs on a panel in between stands under it. */
export function Drawing({ whole, manner, question, onSupplied }: Props) {
  const { household, drawing } = whole;
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
        >
          <Circuits whole={whole} manner={manner} feederId={feeder.id ?? null} />
        </Node>
      ))}
      <Circuits whole={whole} manner={manner} feederId={null} question={question} />
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
