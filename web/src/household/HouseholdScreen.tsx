import { Button } from "@mantine/core";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, told, type WholeHousehold } from "../api/client";
import { Cautions } from "../shared/Cautions";
import { EditProblem } from "../shared/EditProblem";
import { clock, clockSince, counted, dayTold, distance, mannerOf, price } from "../shared/format";
import { Drawing } from "./Drawing";
import { PLACE, PRICES, TRIP } from "./fields";
import classes from "./Household.module.css";
import { useHousehold, useRowEdit } from "./household.queries";
import { Node } from "./Node";
import { nextQuestion } from "./steps";

export function HouseholdScreen() {
  const household = useHousehold();
  if (household.isPending) return <p>Fetching the drawing …</p>;
  if (!household.data) return <p role="alert">{household.error?.message}</p>;
  return <Shown whole={household.data} />;
}

function Shown({ whole }: { whole: WholeHousehold }) {
  const { household, drawing } = whole;
  const [placed, setPlaced] = useState(household.version > 1);
  const [supplied, setSupplied] = useState(household.version > 2);
  const question = household.set_up ? null : nextQuestion(whole, placed, supplied);
  const manner = mannerOf(household);
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return (
    <div className={classes.screen}>
      <h1>{household.set_up ? "Household" : "First evening"}</h1>
      {!household.set_up && (
        <p className={classes.lead}>
          Five minutes, from the supply to the cars. Every link says at once what it lets through. {question?.says}
        </p>
      )}
      <ul className={classes.tree}>
        <Node
          kind="household"
          title="Place"
          tells={`${household.name}, ${household.timezone}, ${household.currency}; up ${household.wake} to ${household.bedtime}`}
          fields={PLACE}
          whole={whole}
          row={{
            ...household,
            id: undefined,
            timezone: placed || household.timezone !== "UTC" ? household.timezone : zone,
            version: household.version,
          }}
          asks={question?.kind === "place"}
          onSaved={() => setPlaced(true)}
        />
        <Drawing whole={whole} manner={manner} question={question?.kind} onSupplied={() => setSupplied(true)} />
        <Prices whole={whole} asks={question?.kind === "prices"} />
        <li className={classes.node}>
          <h2 className={classes.group}>Trips</h2>
          <ul className={classes.branch}>
            {whole.trips.slice(0, 6).map((trip) => (
              <Node
                key={trip.id}
                kind="trip"
                title={`${whole.vehicles.find((v) => v.id === trip.vehicle_id)?.name}, ${dayTold(trip.leave, manner)} ${clock(trip.leave, manner)}`}
                tells={`back ${clockSince(trip.back, trip.leave, manner)}, ${distance(trip.km, manner)}${trip.fill ? ", full" : ""}`}
                fields={TRIP}
                whole={whole}
                row={trip as never}
              />
            ))}
            {whole.vehicles.length > 0 && (
              <Node
                kind="trip"
                title="+ A trip"
                fields={TRIP}
                whole={whole}
                defaults={{ vehicle_id: whole.vehicles[0]?.id }}
                asks={question?.kind === "trip"}
              />
            )}
          </ul>
        </li>
      </ul>
      {!household.set_up && whole.vehicles.length > 0 && <Finish whole={whole} />}
      {drawing.cautions.length > 0 && (
        <section aria-label="Cautions">
          <Cautions cautions={drawing.cautions} />
        </section>
      )}
      {household.set_up && <Invite />}
    </div>
  );
}

/** The tariff in short; its lines, its dated prices and its rivals have a screen of their own. */
function Prices({ whole, asks }: { whole: WholeHousehold; asks: boolean }) {
  const own = whole.tariffs.filter((tariff) => !tariff.rival);
  const bands = (id: number | null | undefined) => whole.bands.filter((band) => band.tariff_id === id).length;
  return (
    <>
      {own.length === 0 && (
        <Node
          kind="tariff"
          title="Prices"
          fields={PRICES}
          whole={whole}
          defaults={{ name: "Our tariff" }}
          asks={asks}
        />
      )}
      {own.map((tariff) => (
        <Node
          key={tariff.id}
          kind="tariff"
          title="Prices"
          tells={`${tariff.name}: ${price(Number(tariff.default_price))} a kWh${bands(tariff.id) ? `, and ${counted(bands(tariff.id), "line")}` : ""}`}
          fields={PRICES}
          whole={whole}
          row={tariff as never}
        >
          <li className={classes.node}>
            <Link to="/prices">The week painted, lines, dated prices and rivals</Link>
          </li>
        </Node>
      ))}
    </>
  );
}

function Finish({ whole }: { whole: WholeHousehold }) {
  const edit = useRowEdit();
  const go = useNavigate();
  return (
    <>
      <p>
        <Button
          loading={edit.isPending}
          onClick={
            () =>
              edit
                .mutateAsync({ kind: "household", version: whole.household.version, values: { set_up: true } })
                .then(() => go("/"))
                .catch(() => {}) // It is told below.
          }
        >
          Show me tonight
        </Button>
      </p>
      <EditProblem error={edit.error} what="this" />
    </>
  );
}

function Invite() {
  const [path, setPath] = useState("");
  return (
    <section className={classes.invite}>
      <h2 className={classes.group}>People</h2>
      <Button
        size="sm"
        variant="default"
        onClick={async () => setPath((await told(api.POST("/api/invitations"))).path)}
      >
        Invite somebody to this household
      </Button>
      {path && (
        <p role="status">
          Works once: <Link to={path}>{window.location.origin + path}</Link>
        </p>
      )}
    </section>
  );
}
