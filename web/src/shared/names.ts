/** How wide a column of names is at the least and at the most, and a character in it. */
const LEAST = 92;
const MOST = 150;
const CHARACTER = 7.2;
const GAP = 8;

/** How wide the column is that a sheet's names stand in, beside what is drawn. */
export function columnFor(names: string[]): number {
  const longest = Math.max(0, ...names.map((name) => name.length));
  return Math.min(MOST, Math.max(LEAST, Math.ceil(longest * CHARACTER) + GAP));
}

/** A name as it fits into a column. */
export function fitted(name: string, column: number): string {
  const fit = Math.floor((column - GAP) / CHARACTER);
  return name.length <= fit ? name : `${name.slice(0, fit - 1).trimEnd()}…`;
}
