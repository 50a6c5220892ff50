import type { Schemas } from "../api/client";
import type { Heights, TimeAxis } from "./axis";

interface Props {
  session: Schemas["SessionOut"];
  x: TimeAxis;
  blocks: Heights;
  /** Where the drawing ends, if the session goes on after it. */
  end: string;
}

const LEAST = 3;

/** A session as a block on the time axis, as high at every moment as the current that is offered then. */
export function SessionShape({ session, x, blocks, end }: Props) {
  const from = x(new Date(session.start));
  const to = Math.max(from + LEAST, Math.min(x(new Date(session.end)), x(new Date(end))));
  const place = (at: string) => Math.min(to, x(new Date(at)));
  const top = session.currents.map(({ at, amps }) => `H ${place(at).toFixed(1)} V ${blocks(amps).toFixed(1)}`);
  return <path d={`M ${from} ${blocks(0)} ${top.join(" ")} H ${to.toFixed(1)} V ${blocks(0)} Z`} />;
}
