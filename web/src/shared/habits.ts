/** The habits in a few words each; what a habit does is told by the server, in a sentence. */
export const HABITS: [string, string][] = [
  ["cheapest", "the cheapest hours"],
  ["nightly", "every night to the limit"],
  ["set_nights", "on set nights"],
  ["when_low", "only when low"],
  ["low_soc", "high for few hours"],
  ["low_current", "slowly"],
  ["sun_first", "the sun first"],
  ["awake", "while someone is up"],
  ["plug_and_go", "at once on arrival"],
];
