import { EditProblem } from "../shared/EditProblem";
import { amps, clock, energy, type Manner, money, nightTitle, percent, unbroken } from "../shared/format";
import classes from "./Log.module.css";
import { type CarLogged, type Logged, type LoggedNight, useKeepReading, type useLogEdit } from "./log.queries";
import { NightStrip } from "./NightStrip";
import { SessionForm } from "./SessionForm";

interface Props {
  car: CarLogged;
  night: LoggedNight;
  manner: Manner;
  edit: ReturnType<typeof useLogEdit>;
  /** Which form is open: a session's, or a new one's of a car and night. */
  open: string | null;
  setOpen: (open: string | null) => void;
  close: (form: string) => void;
}

/** A car's night: how it came out, the strip of it, and what was planned and charged, with what can be said of it. */
export function NightOfCar({ car, night, manner, edit, open, setOpen, close }: Props) {
  const adding = `${night.night} ${car.id}`;
  const told = `${car.name}, ${nightTitle(night.night)}`;
  const planned = car.planned ?? [];
  const corrected = car.sessions.find((session) => open === `session ${session.id}`);
  return (
    <li className={classes.car} data-cause={car.cause}>
      <div className={classes.verdict}>
        <p>
          <strong>{car.name}</strong> {car.told}
        </p>
        <button
          type="button"
          className={classes.quiet}
          aria-expanded={open === adding}
          aria-label={`Write down: ${told}`}
          onClick={() => setOpen(open === adding ? null : adding)}
        >
          Write down
        </button>
      </div>
      <NightStrip night={night} car={car} manner={manner} />
      <div className={classes.sides}>
        <div>
          {planned.map((session) => (
            <p key={session.start}>
              <span className={classes.mark}>planned</span> {clock(session.start, manner)}–{clock(session.end, manner)}{" "}
              at {amps(session.amps)}, {energy(session.wall_kwh)},{" "}
              {unbroken(`${percent(session.soc_from_pct)} → ${percent(session.soc_to_pct)}`)},{" "}
              {money(session.cost, manner)}
            </p>
          ))}
        </div>
        <div>
          {car.sessions.map((session) => (
            <ChargedLine key={session.id} {...{ session, car, told, manner }}>
              <button
                type="button"
                className={classes.quiet}
                aria-expanded={corrected === session}
                aria-label={`Correct ${told}`}
                onClick={() => setOpen(corrected === session ? null : `session ${session.id}`)}
              >
                Correct
              </button>
            </ChargedLine>
          ))}
          {planned.length > 0 && car.sessions.length === 0 && <WholeNight {...{ car, night, told, edit }} />}
        </div>
      </div>
      {open && (open === adding || corrected) && (
        <SessionForm
          key={open}
          car={car}
          night={night.night}
          session={corrected}
          manner={manner}
          edit={edit}
          onDone={() => close(open)}
        />
      )}
    </li>
  );
}

/** What can be said of a whole night at once. */
function WholeNight({ car, night, told, edit }: Pick<Props, "car" | "night" | "edit"> & { told: string }) {
  const last = edit.variables;
  const isSaid = last?.what === "night" && last.car === car.id && last.night === night.night;
  const said = (charged: boolean) => edit.mutate({ what: "night", car: car.id, night: night.night, charged });
  return (
    <div className={classes.actions}>
      <button
        type="button"
        disabled={edit.isPending}
        aria-label={`It went as planned: ${told}`}
        onClick={() => said(true)}
      >
        It went as planned
      </button>
      <button
        type="button"
        disabled={edit.isPending}
        aria-label={`It did not charge: ${told}`}
        onClick={() => said(false)}
      >
        It did not charge
      </button>
      {isSaid && <EditProblem error={edit.error} what="this night" />}
    </div>
  );
}

interface LineProps {
  session: Logged;
  car: CarLogged;
  told: string;
  manner: Manner;
  children: React.ReactNode;
}

/** What was charged; what nobody read says that it is reckoned. */
function ChargedLine({ session, car, told, manner, children }: LineProps) {
  const keeping = useKeepReading();
  const { soc_from_pct: from, soc_to_pct: to, reading } = session;
  const is = (figure: string) => session.derived.includes(figure) && !session.as_planned;
  return (
    <p>
      <span className={classes.mark}>charged</span> {clock(session.start, manner)}–{clock(session.end, manner)},{" "}
      <Figure reckoned={is("wall_kwh")}>{energy(session.wall_kwh)}</Figure>
      {from !== null && to !== null && (
        <>
          , <Figure reckoned={is("soc_from_pct")}>{percent(from)}</Figure> →{" "}
          <Figure reckoned={is("soc_to_pct")}>{percent(to)}</Figure>
        </>
      )}
      , {money(session.cost, manner)}
      {session.solar_kwh > 0.05 &&
        ` (${energy(session.solar_kwh)} of own sun; ${money(session.cost_sun_free, manner)} with sun as free)`}
      {session.as_planned && <em> not read: as planned</em>} {children}
      {reading &&
        (reading.kept ? (
          <em> kept as a reading</em>
        ) : (
          <button
            type="button"
            className={classes.quiet}
            disabled={keeping.isPending}
            aria-label={`Keep as a reading of the charge rate: ${told}`}
            onClick={() => keeping.mutate({ car: car.id, lead: reading.lead, session })}
          >
            Keep as a reading
          </button>
        ))}
      {keeping.error && <span role="alert"> {keeping.error.message}</span>}
    </p>
  );
}

function Figure({ reckoned, children }: { reckoned: boolean; children: string }) {
  return reckoned ? (
    <span className={classes.reckoned} title="reckoned: nobody read it">
      {children} <em>reckoned</em>
    </span>
  ) : (
    children
  );
}
