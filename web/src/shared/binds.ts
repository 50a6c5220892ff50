/** What binds where a departure is short, each in a sentence of its own. */
const BINDS: Record<string, string> = {
  pin: "What is pinned by hand leaves too little.",
  "one session": "One session a night is not enough.",
  "by hand": "One session a night, begun and ended while somebody is up, is not enough.",
  "shared current": "Another car has the current meanwhile.",
  supply: "The house leaves too little current.",
  ceiling: "The current set for the night is too little.",
  habit: "Its habit leaves too little time.",
  limit: "Its charge limit holds it back.",
  "kept off": "It is kept off in hours that it needs.",
  hours: "It is plugged in for too few hours.",
  power: "The hook-up gives no more in the time there is.",
};

export function whatBinds(binds: string[]): string {
  return binds.map((what) => BINDS[what]).join(" ");
}
