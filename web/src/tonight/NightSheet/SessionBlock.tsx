import { type KeyboardEvent, type PointerEvent, useState } from "react";
import type { CarTonight, SessionOut } from "../../api/client";
import type { Heights } from "../../shared/axis";
import { amps, clock, energy, isTold, type Manner, money, percent } from "../../shared/format";
import { useGathered } from "../../shared/gathered";
import { SessionShape } from "../../shared/SessionShape";
import water from "../../shared/Tide.module.css";
import { type Pull, usePull } from "../tonight.queries";
import classes from "./NightSheet.module.css";
import type { Place } from "./place";

interface Props extends Pick<Place, "x" | "end"> {
  car: CarTonight;
  session: SessionOut;
  /** Which of the car's sessions it is. */
  nth: number;
  manner: Manner;
  blocks: Heights;
  onTell: (told: string) => void;
}

/** How wide a letter on a block is, and how high a block must be to bear a line of them. */
const LETTER = 7;
const LINE = 18;
const QUARTER = 15;
const KEYS: Record<string, number> = { ArrowLeft: -QUARTER, ArrowRight: QUARTER };
const STAYS: Pull = { later: 0, longer: 0 };
/** Under so many pixels a press is no pull. */
const STILL = 4;

/** A session on the sheet. Pulled, or moved with the arrow keys, it is pinned where it is left; the rest is planned around it. */
export function SessionBlock({ car, session, nth, manner, x, end, blocks, onTell }: Props) {
  const pulling = usePull(car.id, nth);
  const [pull, setPull] = useState<{ from: number; by: number } | null>(null);
  const keys = useGathered(STAYS, move);
  const start = new Date(session.start);
  const later = pulling.later + keys.sum.later;
  const by = (pull?.by ?? 0) + x(new Date(start.getTime() + later * 60_000)) - x(start);
  const from = x(start) + by;
  const width = Math.max(3, Math.min(x(new Date(session.end)), x(new Date(end))) - x(start));
  const long = `${session.current}, ${clock(session.start, manner)}–${clock(session.end, manner)}`;
  const name = width > LETTER * long.length ? long : amps(session.expect.amps);
  const behind = session.currents.filter(({ at }) => x(new Date(at)) < x(start) + LETTER * name.length);
  const tops = behind.map(({ amps }) => blocks(amps));
  const isLow = blocks(0) - Math.max(...tops) < LINE;
  const told =
    `${car.name}, ${session.current}, ${clock(session.start, manner)}–${clock(session.end, manner)}: ` +
    `${percent(session.soc_from_pct)} to ${percent(session.soc_to_pct)}, ${energy(session.wall_kwh)}, ` +
    `${isTold(session.solar_kwh) ? `of it ${energy(session.solar_kwh)} own sun, ` : ""}` +
    `${money(session.cost, manner)}; ${session.reason}. After ten minutes: ${session.expect.volts} V, ` +
    `${session.expect.wall_kw.toFixed(1)} kW.`;

  function move(pulled: Pull) {
    if (!car.pinnable[nth] || (pulled.later === 0 && pulled.longer === 0)) return;
    onTell(`${car.name}: planning around it …`);
    pulling.mutate(pulled, {
      onSuccess: (plan) => {
        const pinned = plan.cars.find(({ id }) => id === car.id)?.pinnable[nth];
        onTell(`${car.name} is pinned from ${pinned?.start} to ${pinned?.end}; “By hand” lets it go.`);
      },
      onError: (error) => onTell(`It stays where it was: ${error.message}`),
    });
  }

  function drop(event: PointerEvent<SVGGElement>) {
    if (!pull) return;
    event.currentTarget.releasePointerCapture(event.pointerId);
    setPull(null);
    if (Math.abs(pull.by) < STILL) return onTell(told);
    const later = x.invert(x(start) + pull.by).getTime() - start.getTime();
    move({ later: Math.round(later / 60_000 / QUARTER) * QUARTER, longer: 0 });
  }

  function key(event: KeyboardEvent) {
    const way = KEYS[event.key];
    if (event.key === "Enter") onTell(told);
    if (!way) return;
    event.preventDefault();
    keys.more(event.shiftKey ? { later: 0, longer: way } : { later: way, longer: 0 });
  }

  return (
    <g
      role="button"
      aria-label={`${told} The arrow keys move it, with Shift they make it longer or shorter.`}
      aria-busy={pulling.isPending}
      tabIndex={0}
      className={`${water.session} ${classes.movable}`}
      onFocus={() => onTell(told)}
      onMouseEnter={() => onTell(told)}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setPull({ from: event.clientX, by: 0 });
      }}
      onPointerMove={(event) => pull && setPull({ ...pull, by: event.clientX - pull.from })}
      onPointerUp={drop}
      onPointerCancel={() => setPull(null)}
      onKeyDown={key}
    >
      <g transform={`translate(${by} 0)`}>
        <SessionShape session={session} x={x} blocks={blocks} end={end} />
      </g>
      {width > 34 && (
        <text
          className={isLow ? classes.nameAbove : classes.blockName}
          x={from + 5}
          y={isLow ? Math.min(...tops) - 5 : blocks(0) - 7}
        >
          {name}
        </text>
      )}
    </g>
  );
}
