/** A number with a decimal point or comma; NaN, which is null on the wire, where there is none. */
export function figure(text: string): number {
  return text.trim() === "" ? Number.NaN : Number(text.replace(",", "."));
}

/** A number with a decimal point or comma; what is none goes as it is, so that the server names the mistake. */
export function number(text: string): number | string {
  const value = figure(text);
  return Number.isNaN(value) ? text : value;
}

const GROUPED = /^\d{1,3}([ .,'\u2019\u00a0\u202f]\d{3})+$/;

/** What an odometer shows: "41,786", "41.786" and "41 786" are thousands, for none shows three decimals. */
export function odometer(text: string): number {
  const trimmed = text.trim();
  return GROUPED.test(trimmed) ? Number(trimmed.replace(/\D/g, "")) : figure(trimmed);
}
