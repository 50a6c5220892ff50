/** Clock times of the house, as "YYYY-MM-DDTHH:MM" without an offset: moved by the clock, whatever a clock change does. */
export function wall(instant: string, timezone: string): string {
  const shown = new Intl.DateTimeFormat("sv-SE", { timeZone: timezone, dateStyle: "short", timeStyle: "short" });
  return shown.format(new Date(instant)).replace(" ", "T");
}

export function moved(wallTime: string, minutes: number): string {
  const at = new Date(`${wallTime}:00Z`);
  at.setUTCMinutes(at.getUTCMinutes() + minutes);
  return at.toISOString().slice(0, 16);
}
