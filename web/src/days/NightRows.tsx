import { type Dispatch, Fragment, type SetStateAction } from "react";
import { distance, energy, type Manner, money, nightShort, nightTitle, percent } from "../shared/format";
import { Tick } from "../shared/Tick";
import { moved } from "../shared/wall";
import classes from "./Days.module.css";
import { type CarDays, type Days, type Trip, useAskedOfNight, type useDaysEdit } from "./days.queries";
import { ShortTrip } from "./ShortTrip";
import { TripChip } from "./TripChip";
import { TripForm } from "./TripForm";

interface Props {
  plan: Days;
  manner: Manner;
  edit: ReturnType<typeof useDaysEdit>;
  editing: string | null;
  setEditing: Dispatch<SetStateAction<string | null>>;
}

/** A row a night and car: what leaves in it, need against what is recovered, cost and margin. */
export function NightRows({ plan, manner, edit, editing, setEditing }: Props) {
  const nights = plan.cars[0]?.nights.map((night) => night.night) ?? [];
  if (nights.length === 0) return null;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: on a phone the table is scrolled sideways, with the keyboard too
    <section className={classes.scroll} tabIndex={0} aria-label="Night by night">
      <table className={classes.table}>
        <thead>
          <tr>
            <th scope="col">Night</th>
            <th scope="col">Car</th>
            <th scope="col">Leaves</th>
            <th scope="col">Needs</th>
            <th scope="col">Recovers</th>
            <th scope="col">Cost</th>
            <th scope="col">To spare</th>
            <th scope="col">Plugged in</th>
          </tr>
        </thead>
        <tbody>
          {nights.map((night, n) =>
            plan.cars.map((car, c) => (
              <Fragment key={`${night} ${car.id}`}>
                <Row first={c === 0} {...{ car, n, manner, edit, editing, setEditing }} />
                <Opened {...{ plan, car, n, manner, edit, editing, setEditing }} />
              </Fragment>
            )),
          )}
        </tbody>
      </table>
    </section>
  );
}

interface RowProps {
  car: CarDays;
  n: number;
  manner: Manner;
  edit: Props["edit"];
  editing: string | null;
  setEditing: Props["setEditing"];
}

function Row({ first, car, n, manner, edit, editing, setEditing }: RowProps & { first: boolean }) {
  const row = car.nights[n];
  const asked = useAskedOfNight(car.id, row?.night);
  if (!row) return null;
  const add = `${car.id} new ${row.night}`;
  const atHome = row.at_home;
  // A night that is kept unplugged can be given back, wherever the car is.
  const isAway = row.away && !row.kept_unplugged;
  return (
    <tr data-first={first || undefined}>
      <th scope="row">{first ? nightShort(row.night) : ""}</th>
      <td data-label="">{car.name}</td>
      <td className={classes.leaves}>
        {tripsOf(car, n).map((trip) => (
          <TripChip
            key={trip.leave}
            trip={trip}
            manner={manner}
            open={editing === `${car.id} ${trip.leave}`}
            onOpen={() => setEditing(editing === `${car.id} ${trip.leave}` ? null : `${car.id} ${trip.leave}`)}
          />
        ))}
        {atHome !== null && (
          <button
            type="button"
            className={classes.chip}
            data-usual
            title="Press, and it does as usual"
            aria-label={`${car.name} is at home on ${nightTitle(atHome)}: let it do as usual`}
            disabled={edit.isPending}
            onClick={() => edit.mutate({ what: "at home", car: car.id, day: atHome, at_home: false })}
          >
            {nightShort(atHome).slice(0, 3)} at home
          </button>
        )}
        <button
          type="button"
          className={classes.add}
          aria-label={`Add a trip of ${car.name} after ${nightTitle(row.night)}`}
          aria-expanded={editing === add}
          onClick={() => setEditing(editing === add ? null : add)}
        >
          +
        </button>
      </td>
      <td data-label="needs" data-empty={row.need_kwh <= 0 || undefined}>
        {row.need_kwh > 0 ? energy(row.need_kwh) : "–"}
      </td>
      <td data-label="recovers" data-empty={row.recovered_kwh <= 0 || undefined}>
        {row.recovered_kwh > 0 ? energy(row.recovered_kwh) : "–"}
      </td>
      <td data-label="costs" data-empty={row.wall_kwh <= 0 || undefined}>
        {row.wall_kwh > 0 ? money(row.cost, manner) : "–"}
      </td>
      <td data-label="to spare" data-empty={row.margin_km === null || undefined}>
        {row.margin_km === null ? "–" : row.short_kwh > 0 ? "" : distance(row.margin_km, manner)}
        {row.short_kwh > 0 && <strong className={classes.short}>short by {energy(row.short_kwh)}</strong>}
      </td>
      <td data-label={isAway ? "" : "plugged in"}>
        {isAway ? (
          "away"
        ) : (
          <Tick
            label={`${car.name} can be plugged in on the night of ${nightTitle(row.night)}`}
            ticked={asked?.plugged_in ?? !row.kept_unplugged}
            told={asked ?? row}
            onTick={(ticked) =>
              edit.mutate({
                what: "night",
                car: car.id,
                night: row.night,
                version: row.evening_version,
                plugged_in: ticked,
              })
            }
          >
            {row.kept_unplugged
              ? "not that night"
              : row.charged_to_pct === null
                ? "need not be"
                : `to ${percent(row.charged_to_pct)}`}
          </Tick>
        )}
      </td>
    </tr>
  );
}

/** What is open under a night: a trip being edited, or a short departure's ways out. */
function Opened({ plan, car, n, manner, edit, editing, setEditing }: RowProps & { plan: Days }) {
  const row = car.nights[n];
  if (!row) return null;
  const trips = tripsOf(car, n);
  const open = trips.find((trip) => editing === `${car.id} ${trip.leave}`);
  const adding = editing === `${car.id} new ${row.night}`;
  const short = trips.filter((trip) => trip.short_kwh > 0);
  return (
    <>
      {short.map((trip) => (
        <tr key={`short ${trip.leave}`}>
          <td colSpan={8}>
            <ShortTrip trip={trip} car={car} nights={plan.nights} manner={manner} edit={edit} />
          </td>
        </tr>
      ))}
      {(open || adding) && (
        <tr>
          <td colSpan={8}>
            <TripForm
              key={editing}
              trip={open}
              car={car}
              cars={plan.cars}
              day={dayAfter(row.night)}
              manner={manner}
              edit={edit}
              // Another may be open by the time that the answer has come.
              onDone={() => setEditing((open) => (open === editing ? null : open))}
            />
          </td>
        </tr>
      )}
    </>
  );
}

function dayAfter(night: string): string {
  return moved(`${night}T00:00`, 24 * 60).slice(0, 10);
}

function tripsOf(car: CarDays, n: number): Trip[] {
  return car.trips.filter((trip) => trip.night === car.nights[n]?.night);
}
