import { HABITS } from "../shared/habits";

/** What each part of the drawing is asked for, in the words of the carport, and why it is asked. */
export type Kind = "household" | "circuit" | "lead" | "vehicle" | "tariff" | "band" | "array" | "trip" | "feeder";

export interface FieldSpec {
  name: string;
  label: string;
  unit?: string;
  /** What is typed in the household's unit, and kept in kilometres. */
  measure?: "distance" | "consumption";
  why?: string;
  type: "text" | "number" | "choice" | "link" | "numbers" | "days" | "clock" | "moment" | "flag" | "price" | "steps";
  choices?: [string, string][];
  to?: "circuits" | "leads" | "vehicles" | "feeders";
  required?: boolean;
  more?: boolean;
}

function ask(name: string, label: string, type: FieldSpec["type"], more: Partial<FieldSpec> = {}): FieldSpec {
  return { name, label, type, ...more };
}

const RULE: [string, string][] = [
  ["0.8", "80 % of the breaker"],
  ["1", "all of the breaker"],
];
const WHY_RULE = "For hours on end. All of it only where your region's rule lets a dedicated circuit be loaded fully.";
const ONE_TO_THREE: [string, string][] = ["1", "2", "3"].map((n) => [n, n]);

export const PLACE: FieldSpec[] = [
  ask("name", "Name of the house", "text", { required: true }),
  ask("timezone", "Time zone", "text", {
    required: true,
    why: "Tariffs and nights go by your clock, also when it changes. For example Europe/Ljubljana.",
  }),
  ask("distance_unit", "Distances in", "choice", {
    choices: [
      ["km", "kilometres"],
      ["mi", "miles"],
    ],
  }),
  ask("currency", "Currency", "text", { why: "Three letters, for example EUR." }),
  ask("wake", "Up at", "clock", { why: "What has to be done by hand is planned while someone is up." }),
  ask("bedtime", "In bed by", "clock"),
  ask("latitude", "Latitude", "number", {
    unit: "°",
    more: true,
    why: "For dusk and dawn, and for the sun on your roof.",
  }),
  ask("longitude", "Longitude", "number", { unit: "°", more: true }),
  ask("horizon_nights", "Nights planned ahead", "number", { more: true }),
  ask("habit", "Cars charge", "choice", { choices: HABITS, more: true, why: "Unless a car has a habit of its own." }),
  ask("set_nights", "Set nights", "days", { more: true }),
];

export const SUPPLY: FieldSpec[] = [
  ask("continuous_factor", "Rule for continuous load", "choice", {
    choices: RULE,
    why: "Charging runs for hours, and some rules let a dedicated circuit be loaded fully for it. Ask your electrician which rule holds where you live.",
  }),
  ask("leg_voltage_v", "Volts a leg", "number", {
    unit: "V",
    required: true,
    why: "Between one live wire and neutral: 230, or 120 where a house has two legs.",
  }),
  ask("legs", "Legs", "choice", { choices: ONE_TO_THREE }),
  ask("rating_a", "Main breaker", "number", {
    unit: "A",
    required: true,
    why: "Everything in the house has to fit under it, cars too.",
  }),
  ask("base_margin_a", "Kept free", "number", { unit: "A", more: true }),
  ask("base_load_kw", "The house itself", "steps", {
    unit: "kW",
    more: true,
    why: "From a clock time on, for example 00:00 0.35, 06:30 1.1, 17:00 1.6.",
  }),
  ask("sun_day_kw", "Own sun on a usual day", "steps", {
    unit: "kW",
    more: true,
    why: "From a clock time on, ending in 0, for example 09:00 0.8, 11:00 2.5, 15:00 0. Until panels are drawn on Sun.",
  }),
];

export const CIRCUIT: FieldSpec[] = [
  ask("name", "Name", "text", { required: true, why: "As you call the place: carport, shed socket." }),
  ask("kind", "It is", "choice", {
    choices: [
      ["dedicated", "a dedicated circuit"],
      ["socket", "an ordinary socket"],
    ],
  }),
  ask("breaker_a", "Breaker", "number", { unit: "A", required: true, why: "Printed on its switch in the panel." }),
  ask("voltage_v", "Volts a phase", "number", {
    unit: "V",
    required: true,
    why: "230; in a house of two legs 240 for what lies between both, 120 for the rest.",
  }),
  ask("phases", "Phases", "choice", { choices: ONE_TO_THREE }),
  ask("continuous_factor", "Continuous load", "choice", { choices: RULE, why: WHY_RULE }),
  ask("outlet_a", "Socket rated", "number", { unit: "A", why: "Leave empty where a wall unit is wired in." }),
  ask("socket_a", "You allow for hours", "number", {
    unit: "A",
    more: true,
    why: "On an ordinary socket; empty takes the usual value.",
  }),
  ask("wire_a", "Wire rated", "number", { unit: "A", more: true }),
  ask("legs", "On legs", "text", {
    more: true,
    why: "For example L2; empty takes the first ones, both where its volts lie between two.",
  }),
  ask("other_load_a", "Other things on it", "number", { unit: "A", more: true }),
  ask("feeder_id", "Through the panel", "link", { to: "feeders", more: true }),
  ask("sharing", "Shared between leads", "choice", {
    more: true,
    choices: [
      ["", "as the rule says"],
      ["free", "freely"],
      ["even", "evenly"],
      ["none", "one at a time where two do not fit"],
    ],
  }),
  ask("residual_current_protection", "Residual-current protection", "flag", { more: true }),
  ask("inspected", "An electrician has looked at it", "flag", { more: true }),
  ask("new_work", "New wiring, breaker or panel work", "flag", { more: true }),
];

export const FEEDER: FieldSpec[] = [
  ask("name", "Name", "text", { required: true }),
  ask("rating_a", "Rated", "number", { unit: "A", required: true }),
  ask("continuous_factor", "Continuous load", "choice", { choices: RULE, why: WHY_RULE }),
  ask("legs", "On legs", "text", { required: true, why: "For example L1 L2 L3." }),
  ask("other_load_a", "Other things on it", "number", { unit: "A" }),
];

export const LEAD: FieldSpec[] = [
  ask("name", "Name", "text", { required: true, why: "Wall unit, portable lead." }),
  ask("circuit_id", "On", "link", { to: "circuits", required: true }),
  ask("max_a", "At most", "number", {
    unit: "A",
    required: true,
    why: "As commissioned, or the largest step with the adapter it has.",
  }),
  ask("phases", "Phases", "choice", { choices: ONE_TO_THREE }),
  ask("steps_a", "Steps", "numbers", {
    unit: "A",
    why: "The ones it has, for example 6 8 10 13, or 6–16 for every whole ampere; empty for any current.",
  }),
  ask("control", "Who sets it", "choice", {
    choices: [
      ["managed", "it can change its current all night"],
      ["timer", "a timer, one session a night"],
      ["hand", "by hand"],
    ],
  }),
  ask("cable_a", "Separate cable", "number", { unit: "A", more: true }),
  ask("cable_phases", "Cable phases", "number", { more: true }),
  ask("min_a", "At least", "number", { unit: "A", more: true }),
  ask("extension", "Through an extension lead", "flag", { more: true }),
  ask("combines_outlets", "Combines two outlets", "flag", { more: true }),
  ask("across", "Its cable runs", "choice", {
    more: true,
    choices: [
      ["", "out of the way"],
      ["path", "across a path"],
      ["window", "through a window"],
    ],
  }),
  ask("outdoors", "Hangs outdoors", "flag", { more: true }),
  ask("weather_rated", "Rated for the weather", "flag", { more: true }),
  ask("restarts", "Starts again after it has finished", "flag", { more: true }),
];

export const VEHICLE: FieldSpec[] = [
  ask("name", "Name", "text", { required: true }),
  ask("lead_id", "Usually on", "link", { to: "leads", required: true }),
  ask("usable_kwh", "Usable battery", "number", { unit: "kWh", required: true }),
  ask("onboard_kw", "On-board charger", "number", {
    unit: "kW",
    required: true,
    why: "The real charger sits in the car; it is often the limit.",
  }),
  ask("onboard_phases", "On phases", "choice", { choices: ONE_TO_THREE }),
  ask("use_kwh_per_100km", "You use", "number", {
    measure: "consumption",
    required: true,
    why: "Your own average, off the trip computer.",
  }),
  ask("daily_limit_pct", "Daily limit", "number", { unit: "%" }),
  ask("reserve_pct", "Reserve", "number", { unit: "%", why: "You do not want to arrive below it." }),
  ask("control", "Who starts it", "choice", {
    choices: [
      ["hand", "by hand"],
      ["timer", "the car's own timer"],
      ["managed", "it can be steered all night"],
    ],
  }),
  ask("rated_kwh_per_100km", "Its display reckons", "number", { measure: "consumption", more: true }),
  ask("ceiling_a", "Never above", "number", { unit: "A", more: true }),
  ask("boost_pct", "Charge at once below", "number", { unit: "%", more: true }),
  ask("rest_pct", "Rests best below", "number", { unit: "%", more: true }),
  ask("taper_from_pct", "Slows down from", "number", { unit: "%", more: true }),
  ask("habit", "Charges", "choice", { choices: [["", "as the household does"], ...HABITS], more: true }),
  ask("plug_in_from", "Plugged in from", "clock", {
    more: true,
    why: "Empty where it may charge whenever it is home.",
  }),
  ask("plug_in_to", "until", "clock", { more: true }),
  ask("end_pct", "Left when the plan ends", "number", { unit: "%", more: true, why: "Empty takes the daily limit." }),
  ask("cutoff", "Has no limit of its own", "flag", { more: true }),
];

export const PRICES: FieldSpec[] = [
  ask("name", "Name", "text", { required: true, why: "As it stands on your sheet." }),
  ask("default_price", "Price a kWh", "price", {
    required: true,
    why: "Whenever no line of the sheet says otherwise; the lines are typed or painted on Prices.",
  }),
  ask("export_price", "Paid for what you feed in", "price"),
  ask("daily_charge", "Fixed a day", "price", { more: true }),
  ask("monthly_per_kw", "Fixed a month and kW", "price", { more: true }),
  ask("contracted_kw", "Contracted power", "number", { unit: "kW", more: true }),
];

export const ARRAY: FieldSpec[] = [
  ask("name", "Name", "text", { required: true, why: "As you call it: south roof, carport." }),
  ask("kwp", "Rated power", "number", { unit: "kWp", required: true, why: "All panels of one plane together." }),
  ask("tilt_deg", "Tilt", "number", { unit: "°", why: "0 lies flat, 90 stands upright." }),
  ask("azimuth_deg", "Looks to", "number", { unit: "°", why: "By the compass: 90 is east, 180 south, 270 west." }),
  ask("losses_pct", "Losses", "number", { unit: "%", why: "Wires, dirt, heat and inverter: 14 is usual." }),
  ask("inverter_kw", "Inverter gives at most", "number", { unit: "kW" }),
  ask("correction", "Corrected by", "number", { why: "What measured output found; 1 leaves the model as it is." }),
];

export const TRIP: FieldSpec[] = [
  ask("vehicle_id", "Car", "link", { to: "vehicles", required: true }),
  ask("leave", "Leaves", "moment", { required: true }),
  ask("back", "Back", "moment", { required: true }),
  ask("km", "Distance, there and back", "number", { measure: "distance", required: true }),
  ask("fill", "Leave full", "flag"),
  ask("temperature_c", "Outside", "number", { unit: "°C", more: true }),
];
