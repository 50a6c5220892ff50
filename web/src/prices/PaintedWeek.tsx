import { useElementSize, useMediaQuery } from "@mantine/hooks";
import { type KeyboardEvent, type PointerEvent, useState } from "react";
import { ApiError } from "../api/client";
import { DepthBox, DepthHatches, DepthSwatch } from "../shared/DepthHatch";
import { price } from "../shared/format";
import page from "../shared/Page.module.css";
import classes from "./Prices.module.css";
import { type Tariff, useTariffEdit } from "./prices.queries";
import {
  between,
  type Cell,
  clockOf,
  DAYS,
  daysOf,
  HALF_HOURS,
  holds,
  runsOf,
  stepped,
  tellMonths,
  tellStretch,
  type Week,
} from "./week";

/** The tariff as it comes out on a week of half hours: point at an hour to read it, choose hours to give them to a line. */
export function PaintedWeek({ tariff }: { tariff: Tariff }) {
  const [nth, setNth] = useState(0);
  const week = tariff.weeks[nth] ?? tariff.weeks[0];
  if (!week) return null;
  return (
    <section aria-label="The week" className={classes.painted}>
      <h2>The week as it comes out</h2>
      {tariff.weeks.length > 1 && (
        <fieldset className={page.choice}>
          <legend className="visually-hidden">Months</legend>
          {tariff.weeks.map((one, i) => (
            <label key={tellMonths(one.months)}>
              <input type="radio" name="months" checked={week === one} onChange={() => setNth(i)} />
              {tellMonths(one.months)}
            </label>
          ))}
        </fieldset>
      )}
      <Hours key={nth} tariff={tariff} week={week} />
    </section>
  );
}

function Hours({ tariff, week }: { tariff: Tariff; week: Week }) {
  const upright = useMediaQuery("(max-width: 600px)", false, { getInitialValueInEffect: false });
  const [corner, setCorner] = useState<Cell>({ day: 0, at: 0 });
  const [other, setOther] = useState<Cell>({ day: 0, at: 0 });
  const [chosen, setChosen] = useState(false);
  const [pointed, setPointed] = useState<Cell | null>(null);
  const [pulling, setPulling] = useState(false);
  const stretch = between(corner, other);

  function press(cell: Cell, event: PointerEvent | KeyboardEvent) {
    // A second tap, or one with Shift, reaches from the first: hours can be chosen without pulling.
    const reaches = event.shiftKey || ("pointerType" in event && event.pointerType === "touch" && chosen && isOne);
    if (!reaches) setCorner(cell);
    setOther(cell);
    setChosen(true);
  }
  const isOne = corner.day === other.day && corner.at === other.at;

  function walk(event: KeyboardEvent<HTMLElement>) {
    const next = stepped(other, event.key, Boolean(upright));
    if (!next) return;
    event.preventDefault();
    setOther(next);
    if (!event.shiftKey) setCorner(next);
    setChosen(true);
    setPointed(null);
    document.getElementById(idOf(tariff, next))?.focus();
  }

  return (
    <>
      <div
        role="grid"
        aria-label="Half hours of the week"
        aria-multiselectable="true"
        className={upright ? classes.upright : classes.lying}
        onPointerUp={() => setPulling(false)}
        onPointerLeave={() => {
          setPointed(null);
          setPulling(false);
        }}
        onKeyDown={walk}
      >
        <Marks upright={Boolean(upright)} />
        <Depths tariff={tariff} week={week} upright={Boolean(upright)} />
        {DAYS.map((name, day) => (
          // biome-ignore lint/a11y/useFocusableInteractive: its cells take the focus
          <div key={name} role="row" aria-label={name} className={classes.row}>
            {week.line[day]?.map((_, at) => {
              const cell = { day, at };
              const focus = other.day === day && other.at === at;
              return (
                <div
                  key={clockOf(at)}
                  id={idOf(tariff, cell)}
                  role="gridcell"
                  tabIndex={focus ? 0 : -1}
                  aria-selected={chosen && holds(stretch, cell)}
                  aria-label={tell(tariff, week, cell)}
                  className={classes.cell}
                  data-hour={at % 2 === 0 || undefined}
                  style={upright ? { gridColumn: day + 2, gridRow: at + 2 } : { gridColumn: at + 2, gridRow: day + 2 }}
                  onPointerDown={(event) => {
                    if (event.pointerType !== "touch") event.currentTarget.releasePointerCapture?.(event.pointerId);
                    press(cell, event);
                    setPulling(event.pointerType !== "touch");
                  }}
                  onPointerEnter={() => {
                    setPointed(cell);
                    if (pulling) setOther(cell);
                  }}
                />
              );
            })}
          </div>
        ))}
      </div>
      <p className={classes.told} aria-live="polite">
        {tell(tariff, week, pointed ?? other)}
      </p>
      <GiveTo tariff={tariff} week={week} stretch={chosen ? stretch : null} />
    </>
  );
}

function Marks({ upright }: { upright: boolean }) {
  return (
    <>
      {DAYS.map((name, day) => (
        <span
          key={name}
          aria-hidden="true"
          className={classes.dayName}
          style={upright ? { gridColumn: day + 2, gridRow: 1 } : { gridColumn: 1, gridRow: day + 2 }}
        >
          {name.slice(0, 3)}
        </span>
      ))}
      {Array.from({ length: HALF_HOURS / 4 }, (_, n) => n * 4).map((at) => (
        <span
          key={at}
          aria-hidden="true"
          className={classes.hour}
          style={upright ? { gridColumn: 1, gridRow: at + 2 } : { gridColumn: `${at + 2} / span 4`, gridRow: 1 }}
        >
          {clockOf(at)}
        </span>
      ))}
    </>
  );
}

/** The prices of the week, under its cells: a stretch of one line in a day is one box. */
function Depths({ tariff, week, upright }: { tariff: Tariff; week: Week; upright: boolean }) {
  const { ref, width, height } = useElementSize();
  const along = (upright ? height : width) / HALF_HOURS;
  const across = (upright ? width : height) / DAYS.length;
  const boxes = week.line.flatMap((lines, day) =>
    runsOf(lines).map(({ first, last, line }) => {
      const start = { from: first * along, long: (last - first) * along, side: day * across };
      const box = upright
        ? { x: start.side, y: start.from, width: across, height: start.long }
        : { x: start.from, y: start.side, width: start.long, height: across };
      return <DepthBox key={`${day} ${first}`} depth={tariff.depths[line] ?? 0} {...box} />;
    }),
  );
  return (
    <div ref={ref} aria-hidden="true" className={classes.depths}>
      {width > 0 && (
        <svg width={width} height={height}>
          <title>Prices of the week</title>
          <DepthHatches />
          {boxes}
        </svg>
      )}
    </div>
  );
}

/** Gives the chosen hours to one of the tariff's lines. */
function GiveTo({ tariff, week, stretch }: { tariff: Tariff; week: Week; stretch: ReturnType<typeof between> | null }) {
  const editing = useTariffEdit();
  const lines = [
    ...tariff.bands.map((band) => [band.name, Number(band.price)]),
    ["the default", Number(tariff.default_price)],
  ];
  if (!stretch) {
    return (
      <p className={page.note}>
        Choose hours: pull over them, tap one corner and then the other, or walk with the arrow keys and hold Shift.
      </p>
    );
  }
  const give = (line: number) =>
    editing.mutate({
      what: "paint",
      id: tariff.id,
      stroke: {
        line,
        days: daysOf(stretch),
        start: clockOf(stretch.first),
        end: clockOf(stretch.last + 1),
        months: week.months,
        versions: Object.fromEntries(tariff.bands.map((band) => [String(band.id), band.version])),
      },
    });
  const problem = editing.error instanceof ApiError ? editing.error.problem : undefined;
  return (
    <div className={classes.give}>
      <span>
        Give <strong>{tellStretch(stretch)}</strong> to
      </span>
      {lines.map(([name, value], line) => (
        <button key={`${name} ${value}`} type="button" disabled={editing.isPending} onClick={() => give(line)}>
          <DepthSwatch depth={tariff.depths[line] ?? 0} />
          {name} {price(value as number)}
        </button>
      ))}
      {editing.error && (
        <p role="alert">
          {problem?.code === "conflict"
            ? `${problem.by} changed this tariff meanwhile. It is shown as it is now: choose again.`
            : editing.error.message}
        </p>
      )}
    </div>
  );
}

function idOf(tariff: Tariff, { day, at }: Cell): string {
  return `hour-${tariff.id}-${day}-${at}`;
}

/** What is paid in a half hour, by which line, and which lines further down would match too. */
function tell(tariff: Tariff, week: Week, { day, at }: Cell): string {
  const line = week.line[day]?.[at] ?? tariff.bands.length;
  const paid = price(week.price[day]?.[at] ?? 0);
  const band = tariff.bands[line];
  const by = band ? `line ${line + 1}, ${band.name}` : "the default price, since no line matches";
  const beaten = (week.beaten[day]?.[at] ?? []).map((i) => tariff.bands[i]?.name).filter(Boolean);
  const under = beaten.length > 0 ? `; ${beaten.join(" and ")} would match too, but stands further down` : "";
  return `${DAYS[day]} ${clockOf(at)}: ${paid} by ${by}${under}`;
}
