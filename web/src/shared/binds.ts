/** What binds where a departure is short, in a clause of its own. */
export const BINDS: Record<string, string> = {
  pin: "What is pinned by hand leaves too little.",
  "one session": "One session a night is not enough.",
  habit: "Its habit leaves too little time.",
  "shared current": "Another car has the current meanwhile.",
  supply: "The house leaves too little current.",
  limit: "The limit for tonight holds it back.",
  hours: "It is plugged in for too few hours.",
  power: "The hook-up gives no more in the time there is.",
};
