import type { Asked } from "../shared/BringFile";

/** What a figure of a measured series may be. */
export const units: Asked = {
  name: "unit",
  label: "A figure is",
  choices: [
    ["kWh", "kWh of the step"],
    ["Wh", "Wh of the step"],
    ["kW", "kW, the step's mean"],
    ["W", "W, the step's mean"],
  ],
};
