/** A number with a decimal point or comma; NaN, which is null on the wire, where there is none. */
export function figure(text: string): number {
  return text.trim() === "" ? Number.NaN : Number(text.replace(",", "."));
}

/** A number with a decimal point or comma; what is none goes as it is, so that the server names the mistake. */
export function number(text: string): number | string {
  const value = figure(text);
  return Number.isNaN(value) ? text : value;
}
