/** What each part of the drawing is asked for, in the words of the carport, and why it is asked. */
export type Kind = "household" | "circuit" | "lead" | "vehicle" | "band" | "trip" | "feeder";

export interface FieldSpec {
  name: string;
  label: string;
  unit?: string;
  why?: string;
  type: "text" | "number" | "choice" | "link" | "numbers" | "days" | "clock" | "moment" | "flag" | "price";
  choices?: [string, string][];
  to?: "circuits" | "leads" | "vehicles" | "feeders";
  required?: boolean;
  more?: boolean;
}

const RULE: [string, string][] = [
  ["0.8", "80 % of a breaker for loads that run for hours"],
  ["1", "A dedicated circuit may be loaded fully"],
];

export const PLACE: FieldSpec[] = [
  { name: "name", label: "Name of the house", type: "text", required: true },
  {
    name: "timezone",
    label: "Time zone",
    type: "text",
    required: true,
    why: "Tariffs and nights go by your clock, also when it changes. For example Europe/Ljubljana.",
  },
  {
    name: "distance_unit",
    label: "Distances in",
    type: "choice",
    choices: [
      ["km", "kilometres"],
      ["mi", "miles"],
    ],
  },
  { name: "currency", label: "Currency", type: "text", why: "Three letters, for example EUR." },
  { name: "wake", label: "Up at", type: "clock", why: "What has to be done by hand is planned while someone is up." },
  { name: "bedtime", label: "In bed by", type: "clock" },
  {
    name: "latitude",
    label: "Latitude",
    unit: "°",
    type: "number",
    more: true,
    why: "For dusk and dawn on the night sheet.",
  },
  { name: "longitude", label: "Longitude", unit: "°", type: "number", more: true },
  { name: "horizon_nights", label: "Nights planned ahead", type: "number", more: true },
];

export const SUPPLY: FieldSpec[] = [
  {
    name: "continuous_factor",
    label: "Your region's rule for continuous load",
    type: "choice",
    choices: RULE,
    why: "Charging is a load that runs for hours. Ask your electrician which rule holds where you live.",
  },
  {
    name: "leg_voltage_v",
    label: "Volts a leg",
    unit: "V",
    type: "number",
    required: true,
    why: "Between one live wire and neutral: 230, or 120 where a house has two legs.",
  },
  {
    name: "legs",
    label: "Legs",
    type: "choice",
    choices: [
      ["1", "1"],
      ["2", "2"],
      ["3", "3"],
    ],
  },
  {
    name: "rating_a",
    label: "Main breaker",
    unit: "A",
    type: "number",
    required: true,
    why: "Everything in the house has to fit under it, cars too.",
  },
  { name: "base_margin_a", label: "Kept free", unit: "A", type: "number", more: true },
];

export const CIRCUIT: FieldSpec[] = [
  { name: "name", label: "Name", type: "text", required: true, why: "As you call the place: carport, shed socket." },
  {
    name: "kind",
    label: "Ends in",
    type: "choice",
    choices: [
      ["dedicated", "a circuit of its own for charging"],
      ["socket", "an ordinary domestic socket"],
    ],
  },
  {
    name: "breaker_a",
    label: "Breaker",
    unit: "A",
    type: "number",
    required: true,
    why: "Printed on its switch in the panel.",
  },
  { name: "voltage_v", label: "Volts a phase", unit: "V", type: "number", required: true },
  {
    name: "phases",
    label: "Phases",
    type: "choice",
    choices: [
      ["1", "1"],
      ["2", "2"],
      ["3", "3"],
    ],
  },
  { name: "continuous_factor", label: "Continuous load", type: "choice", choices: RULE },
  {
    name: "outlet_a",
    label: "Socket rated",
    unit: "A",
    type: "number",
    why: "Leave empty where a wall unit is wired in.",
  },
  {
    name: "socket_a",
    label: "You allow for hours",
    unit: "A",
    type: "number",
    more: true,
    why: "On an ordinary socket; empty takes the usual value.",
  },
  { name: "wire_a", label: "Wire rated", unit: "A", type: "number", more: true },
  { name: "legs", label: "On legs", type: "text", more: true, why: "For example L2; empty takes the first ones." },
  { name: "other_load_a", label: "Other things on it", unit: "A", type: "number", more: true },
  { name: "feeder_id", label: "Through the panel", type: "link", to: "feeders", more: true },
  {
    name: "sharing",
    label: "Shared between leads",
    type: "choice",
    more: true,
    choices: [
      ["", "as the rule says"],
      ["free", "freely"],
      ["even", "evenly"],
      ["none", "one at a time where two do not fit"],
    ],
  },
  { name: "residual_current_protection", label: "Residual-current protection", type: "flag", more: true },
];

export const FEEDER: FieldSpec[] = [
  { name: "name", label: "Name", type: "text", required: true },
  { name: "rating_a", label: "Rated", unit: "A", type: "number", required: true },
  { name: "continuous_factor", label: "Continuous load", type: "choice", choices: RULE },
  { name: "legs", label: "On legs", type: "text", required: true, why: "For example L1 L2 L3." },
  { name: "other_load_a", label: "Other things on it", unit: "A", type: "number" },
];

export const LEAD: FieldSpec[] = [
  { name: "name", label: "Name", type: "text", required: true, why: "Wall unit, portable lead." },
  { name: "circuit_id", label: "On", type: "link", to: "circuits", required: true },
  {
    name: "max_a",
    label: "At most",
    unit: "A",
    type: "number",
    required: true,
    why: "As commissioned, or the largest step with the adapter it has.",
  },
  {
    name: "phases",
    label: "Phases",
    type: "choice",
    choices: [
      ["1", "1"],
      ["2", "2"],
      ["3", "3"],
    ],
  },
  {
    name: "steps_a",
    label: "Steps",
    unit: "A",
    type: "numbers",
    why: "Where it only has a few, for example 6 8 10 13; empty for any.",
  },
  {
    name: "control",
    label: "Who sets it",
    type: "choice",
    choices: [
      ["managed", "it can change its current all night"],
      ["timer", "a timer, one session a night"],
      ["hand", "by hand"],
    ],
  },
  { name: "cable_a", label: "Separate cable", unit: "A", type: "number", more: true },
  { name: "cable_phases", label: "Cable phases", type: "number", more: true },
  { name: "min_a", label: "At least", unit: "A", type: "number", more: true },
];

export const VEHICLE: FieldSpec[] = [
  { name: "name", label: "Name", type: "text", required: true },
  { name: "lead_id", label: "Usually on", type: "link", to: "leads", required: true },
  { name: "usable_kwh", label: "Usable battery", unit: "kWh", type: "number", required: true },
  {
    name: "onboard_kw",
    label: "On-board charger",
    unit: "kW",
    type: "number",
    required: true,
    why: "The real charger sits in the car; it is often the limit.",
  },
  {
    name: "onboard_phases",
    label: "On phases",
    type: "choice",
    choices: [
      ["1", "1"],
      ["2", "2"],
      ["3", "3"],
    ],
  },
  {
    name: "use_kwh_per_100km",
    label: "You use",
    unit: "kWh / 100 km",
    type: "number",
    required: true,
    why: "Your own average, off the trip computer.",
  },
  { name: "daily_limit_pct", label: "Daily limit", unit: "%", type: "number" },
  { name: "reserve_pct", label: "Reserve", unit: "%", type: "number", why: "You do not want to arrive below it." },
  {
    name: "control",
    label: "Who starts it",
    type: "choice",
    choices: [
      ["hand", "by hand"],
      ["timer", "the car's own timer"],
      ["managed", "it can be steered all night"],
    ],
  },
  { name: "rated_kwh_per_100km", label: "Its display reckons", unit: "kWh / 100 km", type: "number", more: true },
  { name: "ceiling_a", label: "Never above", unit: "A", type: "number", more: true },
  { name: "boost_pct", label: "Charge at once below", unit: "%", type: "number", more: true },
  { name: "rest_pct", label: "Rests best below", unit: "%", type: "number", more: true },
  { name: "taper_from_pct", label: "Slows down from", unit: "%", type: "number", more: true },
  {
    name: "end_pct",
    label: "Left when the plan ends",
    unit: "%",
    type: "number",
    more: true,
    why: "Empty takes the daily limit.",
  },
  { name: "cutoff", label: "Has no limit of its own", type: "flag", more: true },
];

export const PRICES: FieldSpec[] = [
  {
    name: "default_price",
    label: "Price a kWh",
    type: "price",
    required: true,
    why: "Whenever no band below says otherwise. Keep all decimals of your sheet.",
  },
  { name: "export_price", label: "Paid for what you feed in", type: "price" },
  { name: "contracted_kw", label: "Contracted power", unit: "kW", type: "number", more: true },
];

export const BAND: FieldSpec[] = [
  { name: "name", label: "Name", type: "text", required: true },
  { name: "price", label: "Price a kWh", type: "price", required: true },
  { name: "start", label: "From", type: "clock", required: true },
  { name: "end", label: "To", type: "clock", required: true, why: "May cross midnight; 00:00 to 00:00 is all day." },
  { name: "days", label: "Days", type: "days" },
  { name: "months", label: "Months", type: "numbers", more: true, why: "For example 11 12 1 2; empty for all." },
];

export const TRIP: FieldSpec[] = [
  { name: "vehicle_id", label: "Car", type: "link", to: "vehicles", required: true },
  { name: "leave", label: "Leaves", type: "moment", required: true },
  { name: "back", label: "Back", type: "moment", required: true },
  { name: "km", label: "Distance, there and back", unit: "km", type: "number", required: true },
  { name: "fill", label: "Leave full", type: "flag" },
  { name: "temperature_c", label: "Outside", unit: "°C", type: "number", more: true },
];
